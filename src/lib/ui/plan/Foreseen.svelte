<script lang="ts">
	import { effectWords } from '$lib/core/plans/effects';
	import type { Foreseen } from './form.svelte';

	/** What a form would do as it is filled in: its effects in a sentence, and the first thing that stands against it. */
	let { form }: { form: { foreseen: Foreseen | null; looking: boolean } } = $props();
	const names = $derived(
		(form.foreseen?.effects.people ?? [])
			.slice(0, 3)
			.map((p) => p.name ?? p.id)
			.join(', ')
	);
	const more = $derived((form.foreseen?.effects.people.length ?? 0) - 3);
</script>

<!-- As high when there is nothing to say: what stands below does not jump. -->
<div class="min-h-[38px] text-[12.5px]" aria-live="polite" aria-label="What it would do" role="status">
	{#if form.foreseen}
		{@const { title, effects, blocks, warnings } = form.foreseen}
		<p class={form.looking ? 'text-ink3' : 'text-ink2'} aria-busy={form.looking}>
			<b class="font-[620]">{title}</b
			>{#each effectWords(effects) as words, i (i)}{` · ${words}`}{/each}{#if names}<span class="text-ink3"
					>{` · ${names}${more > 0 ? ` and ${more} more` : ''}`}</span
				>{/if}
		</p>
		{#if blocks[0]}<p class="text-buoy">it could not be committed: {blocks[0].words}</p>
		{:else if warnings[0]}<p class="text-sand">{warnings[0].words}</p>{/if}
	{/if}
</div>
