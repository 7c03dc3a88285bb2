<script lang="ts">
	import { page } from '$app/state';
	import { durationWords, sizeWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import SampleChart from '$lib/ui/charts/SampleChart.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import Why from '$lib/ui/why/Why.svelte';
	import PhaseBars from './PhaseBars.svelte';
	import type { CardView } from './card';

	interface Props {
		card: CardView;
		zone: string;
		canDo: (kind: string) => boolean;
	}
	let { card, zone, canDo }: Props = $props();
	const actions = $derived(card.actions.filter((a) => canDo(a.kind)));
</script>

<div class="flex items-baseline gap-2">
	<h2 class="text-[15px] font-[650]">{card.title}</h2>
	<span class="text-ink3 text-[12.5px]">{card.kind}</span>
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

{#if card.takes}
	<h3 class="head mt-4">{card.takes.title} <small>{card.takes.sub}</small></h3>
	<table class="grid-table mt-1">
		<thead><tr><th>machines</th><th>because</th><th><span class="sr-only">what it does</span></th></tr></thead>
		<tbody>
			{#each card.takes.groups as g (g.pill)}
				<tr>
					<td class="font-semibold">{g.machines}</td>
					<td
						>{g.words}
						<details>
							<summary class="text-sea text-[12.5px]">which</summary>
							<span class="text-[12.5px]"
								>{#each g.first as m (m)}<a class="link mr-1.5" href={addressWith(page.url, { card: `machine/${m}` })}
										>{m}</a
									>{/each}{g.machines > g.first.length ? `and ${g.machines - g.first.length} more` : ''}</span
							>
						</details></td
					>
					<td class="num"><span class={['pill', `pill-${g.tone}`]}>{g.pill}</span></td>
				</tr>
			{/each}
		</tbody>
	</table>
{/if}

{#if card.phases}
	<h3 class="head mt-4">Sign-in <small>{durationWords(card.phases.total)}; the thin line is the usual time</small></h3>
	<PhaseBars phases={card.phases.phases} usual={card.phases.usual} />
{/if}

{#if card.facts.length}
	<h3 class="head mt-4" id="why">Why</h3>
	<div class="mt-1"><Why facts={card.facts} {zone} /></div>
{/if}

{#if card.checks?.length}
	<h3 class="head mt-4">
		{card.kind === 'site' ? 'Checks' : 'Checks on the way to it'}
		<small>{card.kind === 'site' ? 'every five minutes' : 'asked just now'}</small>
	</h3>
	<ul class="mt-1 text-[13px]">
		{#each card.checks as c (c.asks)}
			<li class="border-hair2 border-b py-[5px]">
				<div class="flex justify-between gap-2">
					<span>{c.asks}</span>
					<span class={c.ok === true ? 'text-kelp' : c.ok === false ? 'text-buoy font-semibold' : 'text-ink3'}
						>{c.ok === true ? 'yes' : c.ok === false ? 'no' : 'not asked'}</span
					>
				</div>
				<div class="text-ink3 text-[12.5px]">{c.saw}{c.since ? `, since ${momentWords(zone, c.since)}` : ''}</div>
			</li>
		{/each}
	</ul>
{/if}

{#if card.samples && card.samples.points.length > 1}
	<h3 class="head mt-4">Samples <small>6 hours, every {durationWords(card.samples.step)}</small></h3>
	{#key card.id}<SampleChart points={card.samples.points} {zone} />{/key}
{/if}

{#if card.packages?.length}
	<h3 class="head mt-4">{card.kind === 'session' ? 'Apps that are open' : 'Packages'}</h3>
	<ul class="mt-1 text-[13px]">
		{#each card.packages as p, i (i)}
			<li class="border-hair2 border-b py-[4px]">
				{#if p.card}<a class="link" href={addressWith(page.url, { card: p.card })}>{p.words}</a>{:else}{p.words}{/if}
				<div class="text-ink3 text-[12.5px]">{p.note ?? ''}</div>
			</li>
		{/each}
	</ul>
{/if}

{#if card.list?.rows.length}
	<h3 class="head mt-4">{card.list.title}</h3>
	<ul class="mt-1 text-[13px]">
		{#each card.list.rows as r, i (i)}
			<li class="border-hair2 flex justify-between border-b py-[4px]">
				{#if r.card}<a class="link" href={addressWith(page.url, { card: r.card })}>{r.words}</a>{:else}<span
						>{r.words}</span
					>{/if}
				<span class="text-ink3">{r.note ?? ''}</span>
			</li>
		{/each}
	</ul>
{/if}

{#if card.connections}
	<h3 class="head mt-4">Record of connections <small>newest first</small></h3>
	<ul class="mt-1 text-[13px]">
		{#each card.connections as c (c.id)}
			<li class="border-hair2 border-b py-[5px]">
				<div class="flex justify-between gap-2">
					<span>{momentWords(zone, c.began)} · {c.publication}{c.machine ? ` on ${c.machine}` : ''}</span>
					<span class={['pill', c.result === 'open' ? 'pill-sea' : c.result === 'refused' ? 'pill-sand' : 'pill-buoy']}
						>{c.result === 'open' ? durationWords(c.took) : c.result}</span
					>
				</div>
				{#if c.cause.length}<div class="text-buoy text-[12.5px]">{c.cause.map((f) => f.words).join('; ')}</div>{/if}
			</li>
		{/each}
	</ul>
{/if}

{#if card.contents}
	{#if card.compared}
		<h3 class="head mt-4">Compared with {card.compared.with}</h3>
		{#if card.compared.send}<p class="text-ink2 text-[13px]">{card.compared.send}</p>{/if}
		<table class="grid-table mt-1">
			<thead><tr><th>part</th><th>from</th><th>to</th><th class="num">adds</th></tr></thead>
			<tbody>
				{#each card.compared.changes as c (c.name)}
					<tr
						><td>{c.name}</td><td>{c.before ?? '–'}</td><td>{c.after ?? 'taken out'}</td><td class="num"
							>{c.bytes < 0 ? '−' : ''}{sizeWords(Math.abs(c.bytes))}</td
						></tr
					>
				{:else}<tr><td colspan="4" class="text-ink3">nothing differs</td></tr>{/each}
			</tbody>
		</table>
	{/if}
	<h3 class="head mt-4">Contents</h3>
	<table class="grid-table mt-1">
		<thead><tr><th>part</th><th>version</th><th class="num">size</th></tr></thead>
		<tbody
			>{#each card.contents as c (c.name)}<tr
					><td>{c.name}</td><td>{c.version}</td><td class="num">{sizeWords(c.size)}</td></tr
				>{/each}</tbody
		>
	</table>
{/if}
