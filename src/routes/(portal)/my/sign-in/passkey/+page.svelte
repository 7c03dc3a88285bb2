<script lang="ts">
	import { enhance } from '$app/forms';
	import { speakerOf } from '$lib/core/portal/say';
	import { shownTo } from '$lib/ui/portal/passkeys';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));
	/** What the browser itself says, before anything was sent. */
	let said = $state('');
</script>

<svelte:head><title>{say('passkey.head')} · Sextant</title></svelte:head>
<main class="mx-auto mt-[12vh] w-[360px] max-w-[92vw]">
	<h1 class="text-[22px]">{say('passkey.head')}</h1>
	{#if data.off}
		<p class="bg-sandwash text-sand mt-4 rounded-md px-3 py-2 text-[14px]">{data.off}</p>
	{:else}
		<p class="text-ink2 mt-2 text-[15px]">{say('passkey.lead')}</p>
		<form
			method="POST"
			class="mt-5 flex flex-col gap-2"
			use:enhance={async ({ formData, cancel }) => {
				said = '';
				const shown = await shownTo(data.options!);
				if ('problem' in shown) {
					said = say(shown.problem);
					return cancel();
				}
				formData.set('answer', shown.answer);
				return ({ update }) => update({ reset: false });
			}}
		>
			{#if data.ownDays > 0}<label class="flex items-start gap-2 text-[14px]"
					><input type="checkbox" name="own" value="yes" class="mt-1" checked={form?.own ?? false} />{say(
						'sign-in.own',
						{ days: data.ownDays }
					)}</label
				>{/if}
			<button class="btn btn-go justify-center py-2 text-[15px]">{say('passkey.use')}</button>
			{#if said || form?.problem}<p class="text-buoy text-[14px]" role="alert">{said || form?.problem}</p>{/if}
		</form>
	{/if}
	<p class="mt-4"><a class="underline" href="/my/sign-in">{say('passkey.instead')}</a></p>
</main>
