<script lang="ts">
	import { page } from '$app/state';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import CodeField from '$lib/ui/forms/CodeField.svelte';

	let { data, form } = $props();
</script>

<svelte:head><title>Sign in · Sextant</title></svelte:head>
<main class="mx-auto mt-[14vh] w-[340px] max-w-[92vw]">
	<h1 class="flex items-center gap-2 text-[20px]">
		<svg
			width="30"
			height="30"
			viewBox="0 0 24 24"
			fill="none"
			stroke="var(--sand)"
			stroke-width="1.7"
			aria-hidden="true"
			><path d="M12 3 3.6 17.5a16.5 16.5 0 0 0 16.8 0Z" /><path d="M12 3l3.2 15.4" stroke="var(--ink)" /></svg
		>
		Sign in to Sextant
	</h1>
	<form method="POST" class="mt-5 flex flex-col gap-1.5">
		<TextField
			label="Login"
			problem={form?.errors?.login}
			name="login"
			autocomplete="username"
			value={form?.login ?? ''}
		/>
		{#if form?.ticket}
			<!-- The password was right: what stands for it here opens nothing by itself, and not for long. -->
			<input type="hidden" name="ticket" value={form.ticket} />
			<CodeField label="Code of your second factor" problem={form.errors?.code} />
		{:else}
			<TextField
				label="Password"
				problem={form?.errors?.password}
				type="password"
				name="password"
				autocomplete="current-password"
			/>
		{/if}
		<button class="btn btn-go self-start">Sign in</button>
	</form>
	<p class="mt-4"><a class="link" href="/sign-in/passkey{page.url.search}">Sign in by passkey</a></p>
	{#if data.demo}<p class="text-ink2 mt-6 text-[13px]">
			Demo accounts: owner, builder, operator, helpdesk, auditor, and halifax, whose part is Halifax alone; the password
			is <span class="font-mono">tideline</span>. People’s own page is <a class="link" href="/my">/my</a>.
		</p>{/if}
</main>
