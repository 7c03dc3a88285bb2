<script lang="ts">
	import { page } from '$app/state';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import Why from '$lib/ui/why/Why.svelte';
	import type { Card } from '$lib/core/why/card';
	import CardSections from './CardSections.svelte';

	interface Props {
		card: Card;
		zone: string;
		canDo: (kind: string) => boolean;
	}
	let { card, zone, canDo }: Props = $props();
	const actions = $derived(card.actions.filter((a) => canDo(a.kind)));
</script>

<div class="flex items-baseline gap-2">
	<h2 class="text-[15px] font-[650]">{card.title}</h2>
	<span class="text-ink3 text-[12.5px]">{card.kind.replaceAll('-', ' ')}</span>
	<a class="text-sea ml-auto text-[13px]" href={addressWith(page.url, { card: null })} aria-label="Close the card"
		>close ×</a
	>
</div>
<p class="text-ink2 text-[13px]">{card.sub}</p>

{#if actions.length}
	<div class="mt-3 flex flex-wrap gap-2">
		{#each actions as a, i (card.id + a.words + i)}<PlanButton
				kind={a.kind}
				input={a.input}
				words={a.words}
				main={a.main}
				ask={a.ask}
			/>{/each}
	</div>
{/if}

<dl class="mt-3 text-[13px]">
	{#each card.rows as row, i (i)}
		<div class="border-hair2 flex justify-between gap-3 border-b py-[5px]">
			<dt class="text-ink3">{row.name}</dt>
			<dd class="text-right">
				{#if row.card}<a class="link" href={addressWith(page.url, { card: row.card })}>{row.value}</a>
				{:else if row.scope}<a class="link" href={addressWith(page.url, { scope: row.scope }, '/watch')}>{row.value}</a>
				{:else}{row.value}{/if}
			</dd>
		</div>
	{/each}
</dl>

{#if card.links?.length}
	<p class="mt-2 flex flex-wrap gap-3 text-[13px]">
		{#each card.links as l (l.href)}<a class="link" href={l.href}>{l.words}</a>{/each}
	</p>
{/if}

<CardSections sections={card.lead ?? []} {zone} />

{#if card.facts.length}
	<h3 class="head mt-4" id="why">Why</h3>
	<div class="mt-1"><Why facts={card.facts} {zone} /></div>
{/if}

{#key `${card.kind}/${card.id}`}<CardSections sections={card.sections} {zone} />{/key}
