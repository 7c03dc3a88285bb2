<script lang="ts">
	import { page } from '$app/state';
	import { durationWords, sizeWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import type { CardSection } from '$lib/core/why/card';
	import SampleChart from '$lib/ui/charts/SampleChart.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import PhaseBars from './PhaseBars.svelte';
	import ScreenPicture from './ScreenPicture.svelte';

	interface Props {
		sections: readonly CardSection[];
		zone: string;
	}
	let { sections, zone }: Props = $props();

	const to = (id: string) => addressWith(page.url, { card: id });
</script>

{#each sections as s, i (i)}
	{#if s.kind === 'takes'}
		<h3 class="head mt-4">{s.title} <small>{s.sub}</small></h3>
		<table class="grid-table mt-1">
			<thead><tr><th>machines</th><th>because</th><th><span class="sr-only">what it does</span></th></tr></thead>
			<tbody>
				{#each s.groups as g (g.pill)}
					<tr>
						<td class="font-semibold">{g.machines}</td>
						<td
							>{g.words}
							<details>
								<summary class="text-sea text-[12.5px]">which</summary>
								<span class="text-[12.5px]"
									>{#each g.first as m (m)}<a class="link mr-1.5" href={to(`machine/${m}`)}>{m}</a>{/each}{g.machines >
									g.first.length
										? `and ${g.machines - g.first.length} more`
										: ''}</span
								>
							</details></td
						>
						<td class="num"><span class={['pill', `pill-${g.tone}`]}>{g.pill}</span></td>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else if s.kind === 'phases'}
		<h3 class="head mt-4">Sign-in <small>{durationWords(s.total)}; the thin line is the usual time</small></h3>
		<PhaseBars phases={s.phases} usual={s.usual} />
	{:else if s.kind === 'checks'}
		<h3 class="head mt-4">{s.title} <small>{s.sub}</small></h3>
		<ul class="mt-1 text-[13px]">
			{#each s.checks as c (c.asks)}
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
	{:else if s.kind === 'samples'}
		<h3 class="head mt-4">Samples <small>{durationWords(s.to - s.from)}, every {durationWords(s.step)}</small></h3>
		<SampleChart points={s.points} {zone} />
	{:else if s.kind === 'lines'}
		<h3 class="head mt-4">{s.title}</h3>
		<ul class="mt-1 text-[13px]">
			{#each s.lines as l, n (n)}
				<li class="border-hair2 flex flex-wrap justify-between gap-x-3 border-b py-[4px]">
					{#if l.card}<a class="link" href={to(l.card)}>{l.words}</a>{:else if l.href}<a class="link" href={l.href}
							>{l.words}</a
						>{:else}<span>{l.words}</span>{/if}
					<span class="text-ink3">{l.note ?? ''}</span>
				</li>
			{/each}
		</ul>
	{:else if s.kind === 'screen'}
		<h3 class="head mt-4">{s.title} <small>{s.sub}</small></h3>
		<ScreenPicture href={s.href} alt={s.alt} />
	{:else if s.kind === 'connections'}
		<h3 class="head mt-4">Record of connections <small>newest first</small></h3>
		<ul class="mt-1 text-[13px]">
			{#each s.connections as c (c.id)}
				<li class="border-hair2 border-b py-[5px]">
					<div class="flex justify-between gap-2">
						<span>{momentWords(zone, c.began)} · {c.publication}{c.machine ? ` on ${c.machine}` : ''}</span>
						<span
							class={['pill', c.result === 'open' ? 'pill-sea' : c.result === 'refused' ? 'pill-sand' : 'pill-buoy']}
							>{c.result === 'open' ? durationWords(c.took) : c.result}</span
						>
					</div>
					{#if c.cause.length}<div class="text-buoy text-[12.5px]">{c.cause.map((f) => f.words).join('; ')}</div>{/if}
				</li>
			{/each}
		</ul>
	{:else if s.kind === 'compared'}
		<h3 class="head mt-4">Compared with {s.with}</h3>
		{#if s.send}<p class="text-ink2 text-[13px]">{s.send}</p>{/if}
		<table class="grid-table mt-1">
			<thead><tr><th>part</th><th>from</th><th>to</th><th class="num">adds</th></tr></thead>
			<tbody>
				{#each s.changes as c (c.name)}
					<tr
						><td>{c.name}</td><td>{c.before ?? '–'}</td><td>{c.after ?? 'taken out'}</td><td class="num"
							>{c.bytes < 0 ? '−' : ''}{sizeWords(Math.abs(c.bytes))}</td
						></tr
					>
				{:else}<tr><td colspan="4" class="text-ink3">nothing differs</td></tr>{/each}
			</tbody>
		</table>
	{:else if s.kind === 'contents'}
		<h3 class="head mt-4">Contents</h3>
		<table class="grid-table mt-1">
			<thead><tr><th>part</th><th>version</th><th class="num">size</th></tr></thead>
			<tbody
				>{#each s.contents as c (c.name)}<tr
						><td>{c.name}</td><td>{c.version}</td><td class="num">{sizeWords(c.size)}</td></tr
					>{/each}</tbody
			>
		</table>
	{/if}
{/each}
