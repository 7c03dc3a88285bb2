<script lang="ts">
	import type { Snippet } from 'svelte';
	import Foreseen from './Foreseen.svelte';
	import type { Outline } from '$lib/core/plans/effects';

	/** What every plan form ends with: what it would do, the button that drafts it, and what belongs to no field. */
	interface Props {
		form: { errors: Record<string, string>; busy: boolean; foreseen: Outline | null; looking: boolean };
		words: string;
		/** Where leaving it leads, for a form that was opened. */
		close?: string;
		foresee?: boolean;
		/** Whether it is what the view is for: one button of a view is filled. */
		main?: boolean;
		/** Other things to do with it. */
		children?: Snippet;
	}
	let { form, words, close, foresee = true, main = true, children }: Props = $props();
</script>

<div class="mt-1">
	{#if foresee}<Foreseen {form} />{/if}
	<div class="mt-1 flex items-center gap-3">
		<button class={['btn', main && 'btn-go']} disabled={form.busy} aria-busy={form.busy}>{words}</button>
		{@render children?.()}
		{#if close}<a class="btn btn-plain" href={close}>Leave it</a>{/if}
		<span class="text-buoy text-[12.5px]" role={form.errors.form ? 'alert' : undefined}>{form.errors.form ?? ''}</span>
	</div>
</div>
