<script lang="ts">
	import { enhance } from '$app/forms';
	import CodeField from '$lib/ui/forms/CodeField.svelte';

	let { data, form } = $props();
	const problem = $derived(form && 'problem' in form ? form.problem : null);
</script>

<svelte:head><title>Welcome · Sextant</title></svelte:head>
<main class="mx-auto mt-[9vh] w-[420px] max-w-[92vw]">
	{#if form && 'done' in form && form.done}
		<h1 class="text-[22px]">You are ready</h1>
		<p class="mt-3 text-[15px]">
			Your second factor is on. From your first day on you sign in with your login and password.
		</p>
		<p class="mt-5"><a class="btn btn-go py-2 text-[15px]" href="/my/sign-in">To the sign-in</a></p>
	{:else if data.guest === null}
		<h1 class="text-[22px]">This link leads nowhere any more</h1>
		<p class="mt-3 text-[15px]">
			It has been used, or its time is over. You can <a class="underline" href="/my/sign-in">sign in</a> with your login and
			password, or ask whoever sent it for another one.
		</p>
	{:else}
		<h1 class="text-[22px]">Hello {data.guest.name}</h1>
		<p class="mt-3 text-[15px]">
			{data.guest.begins
				? `Your first day is ${data.guest.begins}. What you work with will stand here.`
				: 'What you work with stands ready.'} Your login is <b>{data.guest.login}</b>.
		</p>
		{#if problem}<p class="text-buoy mt-3 text-[14px]" role="alert">{problem}</p>{/if}
		{#if form && 'factor' in form && form.factor}
			<section class="mt-5 text-[14px]" aria-labelledby="set-up">
				<h2 class="text-[16px]" id="set-up">Second factor</h2>
				<p class="text-ink2 mt-1">Point your authenticator app at this picture, or write the letters into it.</p>
				<img src={form.factor.picture} alt="QR code of the secret" class="mt-2 h-40 w-40 bg-white p-1" />
				<p class="font-mono text-[13px] break-all">{form.factor.secret}</p>
				<form method="POST" action="?/confirm" use:enhance class="mt-2 flex items-start justify-start gap-2">
					<CodeField label="Code that the app shows" />
					<button class="btn btn-go mt-[20px]">Switch it on</button>
				</form>
			</section>
		{:else}
			<div class="mt-5 flex flex-wrap gap-2">
				{#if !data.guest.factor}
					<form method="POST" action="?/factor" use:enhance>
						<button class="btn btn-go py-2 text-[15px]">Set up your second factor</button>
					</form>
				{/if}
				{#if data.guest.begins === null}
					<form method="POST" action="?/enter" use:enhance>
						<button class={['btn py-2 text-[15px]', data.guest.factor && 'btn-go']}
							>{data.guest.factor ? 'Come in' : 'Come in without it'}</button
						>
					</form>
				{/if}
			</div>
			{#if !data.guest.factor}<p class="text-ink2 mt-3 text-[13.5px]">
					A code from an app on your phone, besides your password. Some desktops and apps ask for it.
				</p>{/if}
		{/if}
	{/if}
</main>
