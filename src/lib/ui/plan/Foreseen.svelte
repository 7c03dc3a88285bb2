<script lang="ts">
	import type { Outline } from '$lib/core/plans/effects';

	/** What a form would do as it is filled in: its effects in a sentence, and the first thing that stands against it. */
	let { form }: { form: { foreseen: Outline | null; looking: boolean } } = $props();
	const people = $derived(form.foreseen?.people ?? { count: 0, first: [] });
	const names = $derived(people.first.slice(0, 3));
	const more = $derived(people.count - names.length);
</script>

<!-- As high when there is nothing to say: what stands below does not jump. -->
<div class="min-h-[38px] text-[12.5px]" aria-live="polite" aria-label="What it would do" role="status">
	{#if form.foreseen}
		{@const { title, effects, blocks, warnings } = form.foreseen}
		<p class={form.looking ? 'text-ink3' : 'text-ink2'} aria-busy={form.looking}>
			<b class="font-[620]">{title}</b>{#each effects as words, i (i)}{` · ${words}`}{/each}{#if names.length}<span
					class="text-ink3">{` · ${names.join(', ')}${more > 0 ? ` and ${more} more` : ''}`}</span
				>{/if}
		</p>
		{#if blocks[0]}<p class="text-buoy">it could not be committed: {blocks[0].words}</p>
		{:else if warnings[0]}<p class="text-sand">{warnings[0].words}</p>{/if}
	{/if}
</div>
