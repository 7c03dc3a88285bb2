<script lang="ts">
	import { enhance } from '$app/forms';
	import { speakerOf } from '$lib/core/portal/say';
	import CodeField from '$lib/ui/forms/CodeField.svelte';
	import LanguageChoice from '$lib/ui/portal/LanguageChoice.svelte';
	import { page } from '$app/state';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));
	const problem = $derived(form && 'problem' in form ? form.problem : null);
</script>

<svelte:head><title>{say('welcome.title')} · Sextant</title></svelte:head>
<main class="mx-auto mt-[9vh] w-[420px] max-w-[92vw]">
	{#if form && 'done' in form && form.done}
		<h1 class="text-[22px]">{say('welcome.ready')}</h1>
		<p class="mt-3 text-[15px]">
			{say('welcome.factor-on')}
		</p>
		<p class="mt-5"><a class="btn btn-go py-2 text-[15px]" href="/my/sign-in">{say('welcome.to-sign-in')}</a></p>
	{:else if data.guest === null}
		<h1 class="text-[22px]">{say('welcome.over')}</h1>
		<p class="mt-3 text-[15px]">
			{say('welcome.over-why')} <a class="underline" href="/my/sign-in">{say('welcome.to-sign-in')}</a>
		</p>
	{:else}
		<h1 class="text-[22px]">{say('welcome.hello', { name: data.guest.name })}</h1>
		<p class="mt-3 text-[15px]">
			{data.guest.begins === null
				? say('welcome.stands')
				: say('welcome.begins', { day: say.day(data.guest.begins, data.guest.zone) })}
			{say('welcome.login', { login: data.guest.login })}
		</p>
		{#if problem}<p class="text-buoy mt-3 text-[14px]" role="alert">{problem}</p>{/if}
		{#if form && 'factor' in form && form.factor}
			<section class="mt-5 text-[14px]" aria-labelledby="set-up">
				<h2 class="text-[16px]" id="set-up">{say('account.app')}</h2>
				<p class="text-ink2 mt-1">{say('account.app-scan')}</p>
				<img src={form.factor.picture} alt={say('account.app-picture')} class="mt-2 h-40 w-40 bg-white p-1" />
				<p class="font-mono text-[13px] break-all">{form.factor.secret}</p>
				<form method="POST" action="?/confirm" use:enhance class="mt-2 flex items-start justify-start gap-2">
					<CodeField label={say('account.app-code')} />
					<button class="btn btn-go mt-[20px]">{say('account.app-on-button')}</button>
				</form>
			</section>
		{:else}
			<div class="mt-5 flex flex-wrap gap-2">
				{#if !data.guest.factor}
					<form method="POST" action="?/factor" use:enhance>
						<button class="btn btn-go py-2 text-[15px]">{say('welcome.set-up')}</button>
					</form>
				{/if}
				{#if data.guest.begins === null}
					<form method="POST" action="?/enter" use:enhance>
						<button class={['btn py-2 text-[15px]', data.guest.factor && 'btn-go']}
							>{say(data.guest.factor ? 'welcome.come-in' : 'welcome.without')}</button
						>
					</form>
				{/if}
			</div>
			{#if !data.guest.factor}<p class="text-ink2 mt-3 text-[13.5px]">
					{say('welcome.what-for')}
				</p>{/if}
		{/if}
	{/if}
	<div class="mt-8"><LanguageChoice {say} to={page.url.pathname} /></div>
</main>
