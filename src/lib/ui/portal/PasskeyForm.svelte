<script lang="ts">
	import type { Snippet } from 'svelte';
	import { enhance } from '$app/forms';
	import type { Speaker } from '$lib/core/portal/say';
	import { passkeyFor } from './passkeys';

	/**
	 * A button that asks the device for a passkey, or for a new one, and sends what it answers to an action as `answer`, with the fields
	 * that are given and those of its own.
	 */
	interface Props {
		say: Speaker;
		action: string;
		what?: 'show' | 'add';
		fields?: Record<string, string>;
		problem?: string | undefined;
		children: Snippet;
		/** Further fields, before the button. */
		more?: Snippet;
	}
	let { say, action, what = 'show', fields = {}, problem, children, more }: Props = $props();
	let said = $state('');
	let busy = $state(false);
</script>

<form
	method="POST"
	{action}
	class="mt-3 flex flex-wrap items-end gap-2"
	use:enhance={async ({ formData, cancel }) => {
		said = '';
		busy = true;
		const shown = await passkeyFor(what);
		busy = false;
		if ('problem' in shown) {
			said = say(shown.problem);
			return cancel();
		}
		formData.set('answer', shown.answer);
	}}
>
	{#each Object.entries(fields) as [name, value] (name)}<input type="hidden" {name} {value} />{/each}
	{@render more?.()}
	<button class="btn btn-go" disabled={busy}>{@render children()}</button>
	{#if said || problem}<p class="text-buoy w-full text-[13px]" role="alert">{said || problem}</p>{/if}
</form>
