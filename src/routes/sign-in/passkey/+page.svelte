<script lang="ts">
	import { enhance } from '$app/forms';
	import { page } from '$app/state';
	import { said } from '$lib/ui/forms/passkey-words';
	import { shownTo } from '$lib/ui/portal/passkeys';

	let { data, form } = $props();
	/** What the browser itself says, before anything was sent. */
	let problem = $state('');
</script>

<svelte:head><title>Sign in by passkey · Sextant</title></svelte:head>
<main class="mx-auto mt-[14vh] w-[340px] max-w-[92vw]">
	<h1 class="text-[20px]">Sign in by passkey</h1>
	{#if data.options}
		<form
			method="POST"
			class="mt-5"
			use:enhance={async ({ formData, cancel }) => {
				problem = '';
				const shown = await shownTo(data.options!);
				if ('problem' in shown) {
					problem = said(shown.problem);
					return cancel();
				}
				formData.set('answer', shown.answer);
				return ({ update }) => update({ reset: false });
			}}
		>
			<button class="btn btn-go">Show a passkey</button>
			{#if problem || form?.problem}<p class="text-buoy mt-2" role="alert">{problem || form?.problem}</p>{/if}
		</form>
	{:else}<p class="text-ink2 mt-3">Passkeys need an address with a name, over TLS.</p>{/if}
	<p class="mt-4"><a class="link" href="/sign-in{page.url.search}">Sign in with a password instead</a></p>
</main>
