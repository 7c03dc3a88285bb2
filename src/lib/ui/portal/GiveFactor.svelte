<script lang="ts">
	import { enhance } from '$app/forms';
	import type { Speaker } from '$lib/core/portal/say';
	import CodeField from '$lib/ui/forms/CodeField.svelte';
	import PasskeyForm from './PasskeyForm.svelte';

	/** Where something asks for a second factor: a passkey or a code unlocks it; who has none is led to where one is set up. */
	interface Props {
		say: Speaker;
		publication: { id: string; name: string };
		factor: { on: boolean; passkeys: boolean };
		problemAt: (given: 'answer' | 'code') => string | undefined;
	}
	let { say, publication, factor, problemAt }: Props = $props();
</script>

{#if factor.on}
	{#if factor.passkeys}
		<PasskeyForm {say} action="?/give" fields={{ publication: publication.id }} problem={problemAt('answer')}
			>{say('shelf.unlock-passkey')}<span class="sr-only">{publication.name}</span></PasskeyForm
		>
	{/if}
	<form method="POST" action="?/give" use:enhance class="mt-3 flex items-start justify-start gap-2">
		<input type="hidden" name="publication" value={publication.id} />
		<CodeField label={say('shelf.code')} letters problem={problemAt('code')} />
		<button class={['btn mt-[20px]', factor.passkeys || 'btn-go']}
			>{say('shelf.unlock')}<span class="sr-only">{publication.name}</span></button
		>
	</form>
{:else}
	<p class="bg-sandwash text-sand mt-3 rounded-md px-3 py-2 text-[14px]">
		{say('shelf.no-factor')}
		<a class="underline" href="/my/account?for={encodeURIComponent(publication.id)}">{say('shelf.set-factor')}</a>
	</p>
{/if}
