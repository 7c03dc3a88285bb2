<script lang="ts">
	import { tick, type Snippet } from 'svelte';
	import { steady } from '$lib/ui/forms/steady';
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
	let end: HTMLElement | undefined = $state();

	/** What is wrong with something that the form has no field for: it stands here, with the name that the API has for it. */
	let unsaid: [field: string, words: string][] = $state([]);
	$effect(() => {
		const errors = Object.entries(form.errors).filter(([field]) => field !== 'form');
		// Once the fields have had their turn.
		void tick().then(() => {
			const alerts = [...(end?.closest('form')?.querySelectorAll('[role=alert]') ?? [])].filter(
				(e) => !end?.contains(e)
			);
			const said = alerts.map((e) => e.textContent?.trim() ?? '');
			unsaid = errors.filter(([, words]) => !said.some((s) => s.includes(words.trim())));
		});
	});
</script>

<div class="mt-1" bind:this={end}>
	{#if foresee}<Foreseen {form} />{/if}
	<div class="mt-1 flex items-center gap-3">
		<button class={['btn', main && 'btn-go']} disabled={form.busy} aria-busy={form.busy} onpointerdown={steady}
			>{words}</button
		>
		{@render children?.()}
		{#if close}<a class="btn btn-plain" href={close}>Leave it</a>{/if}
		<span class="text-buoy text-[12.5px]" role={form.errors.form ? 'alert' : undefined}>{form.errors.form ?? ''}</span>
	</div>
	{#if unsaid.length}<ul class="text-buoy mt-1 text-[12.5px]" role="alert" aria-label="What has no field here">
			{#each unsaid as [field, words] (field)}<li>{words} <span class="text-ink3">({field})</span></li>{/each}
		</ul>{/if}
</div>
