<script lang="ts">
	import { page } from '$app/state';
	import { countWords, numberWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import { unpackCells } from '$lib/ui/marks/cells';
	import LevelCells from '$lib/ui/marks/LevelCells.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	const most = $derived(Math.max(1, ...data.needs.map((n) => n.people)));
	/** The one filled button of the view is of what can be done first. */
	const first = $derived(data.needs.find((n) => n.plan && !n.plan.blocked));
	const bar = { buoy: 'bg-buoy', sand: 'bg-sand', plum: 'bg-plum' };
</script>

<h1 class="sr-only">Today</h1>
<div class={['grid min-h-full', data.card || data.plan ? 'grid-cols-1' : 'grid-cols-[minmax(0,1fr)_452px]']}>
	<section class="px-[18px] py-[14px]" aria-labelledby="needs">
		<h2 class="head" id="needs">Needs a person <small>ranked by people affected, worst first</small></h2>
		<LeftOut left={data.left} of="findings, repairs and jobs" />
		{#if data.look.future}<p class="text-ink2 mt-1 text-[13px]">
				This list has no forecast: it shows the present. The ribbon shows what is expected.
			</p>{/if}
		<ul>
			{#each data.needs as n (n.key)}
				<li class="border-hair2 grid grid-cols-[86px_minmax(0,1fr)_auto] items-start gap-3.5 border-b py-[11px]">
					<div class="text-right leading-[1.15]">
						<b class="block text-[19px] font-[650]">{numberWords(n.count)}</b><span class="text-ink3 text-[12px]"
							>{n.unit}</span
						>
						{#if n.people}<span
								class={['mt-[5px] ml-auto block h-1 rounded-sm', bar[n.tone]]}
								style="width:{Math.max(3, (78 * n.people) / most)}px"
							></span>{/if}
					</div>
					<div>
						<h3 class="text-[14.5px]">
							{#if n.card}<a class="hover:text-sea" data-row href={addressWith(page.url, { card: n.card })}>{n.title}</a
								>{:else if n.href}<a class="hover:text-sea" data-row href={n.href}>{n.title}</a>{:else}{n.title}{/if}
						</h3>
						<p class="text-ink2 mt-0.5 text-[13px]">
							{#each n.facts as f, i (i)}{i ? '; ' : ''}{f.words}{#if f.about && f.about.id !== n.card
											?.split('/')
											.slice(1)
											.join('/')}&ensp;<a
										class="link"
										href={addressWith(page.url, { card: `${f.about.kind}/${f.about.id}` })}
										>{f.about.name ?? f.about.id}</a
									>{/if}{/each}.
							<span class="text-ink3">Since {momentWords(data.zone, n.since)}.</span>
						</p>
					</div>
					<div class="flex gap-2 pt-0.5">
						{#if n.breakdown}<a class="btn" href={n.breakdown}>Breakdown</a>{/if}
						{#if n.plan && data.look.live && data.mayDraft.includes(n.plan.kind)}
							<div class="text-right">
								<PlanButton
									kind={n.plan.kind}
									input={n.plan.input}
									words={n.plan.words}
									main={n === first && !n.plan.blocked}
								/>
								{#if n.plan.blocked}<p class="text-buoy mt-0.5 text-[12px]">blocked now</p>{/if}
							</div>
						{/if}
					</div>
				</li>
			{:else}
				<li class="text-ink2 py-6">
					Nothing needs a person{data.narrowed ? ' in this scope' : ''}. Findings, unusable machines, failed jobs and
					waiting plans would stand here.
				</li>
			{/each}
		</ul>
	</section>
	<section
		class={['border-hair bg-sheet px-[18px] py-[14px]', !(data.card || data.plan) && 'border-l']}
		aria-labelledby="estate"
	>
		<h2 class="head" id="estate">Estate <small>one cell a machine, level = strain</small></h2>
		{#each data.sites as site (site.id)}
			<div class="mt-3">
				<h3 class="flex items-baseline gap-2 text-[13px]">
					<a class="hover:text-sea" href={addressWith(page.url, { scope: `site:${site.id}` })}>{site.name}</a>
					<span class="text-ink3 text-[12px] font-normal">{site.clock}</span>
					<span class="text-ink3 ml-auto text-[12px] font-normal">{countWords(site.people, 'person', 'people')}</span>
				</h3>
				{#each site.pools as pool (pool.id)}
					<div class="text-ink2 mt-1.5 grid grid-cols-[118px_minmax(0,1fr)] items-start gap-2 text-[12.5px]">
						<a
							class="hover:text-sea truncate"
							title={pool.name}
							href={addressWith(page.url, { card: `pool/${pool.id}` })}>{pool.name.replace(` ${site.name}`, '')}</a
						>
						<LevelCells cells={unpackCells(pool.cells)} label={pool.name} theme={data.theme} />
					</div>
				{/each}
			</div>
		{:else}
			<p class="text-ink2 mt-3 text-[13px]">
				{data.narrowed ? 'No machine lies in this scope.' : 'There are no machines yet. Make a pool in Publish.'}
			</p>
		{/each}
		<div class="border-hair2 text-ink2 mt-3 flex flex-wrap items-center gap-3.5 border-t pt-2 text-[12px]">
			<span class="flex items-center gap-1.5"
				><svg width="14" height="14" aria-hidden="true"
					><rect x=".5" y=".5" width="12" height="12" fill="none" stroke="var(--sea)" /><rect
						x=".5"
						y="6"
						width="12"
						height="6.5"
						fill="var(--sea)"
					/></svg
				>in use</span
			>
			<span class="flex items-center gap-1.5"
				><svg width="14" height="14" aria-hidden="true"
					><rect x=".5" y=".5" width="12" height="12" fill="none" stroke="var(--sand)" /><rect
						x=".5"
						y="2"
						width="12"
						height="10.5"
						fill="var(--sand)"
					/></svg
				>hard pressed</span
			>
			<span class="flex items-center gap-1.5"
				><svg width="14" height="14" aria-hidden="true"
					><rect x=".5" y=".5" width="12" height="12" fill="none" stroke="var(--sea2)" /></svg
				>ready</span
			>
			<span class="flex items-center gap-1.5"
				><svg width="14" height="14" aria-hidden="true"
					><rect x=".5" y=".5" width="12" height="12" fill="none" stroke="var(--sea2)" stroke-dasharray="2 2" /></svg
				>starting</span
			>
			<span class="flex items-center gap-1.5"
				><svg width="14" height="14" aria-hidden="true"
					><rect x="4" y="4" width="5" height="5" fill="var(--hair)" /></svg
				>off</span
			>
			<span class="flex items-center gap-1.5"
				><svg width="14" height="14" aria-hidden="true"><path d="M6.5 0L13 6.5 6.5 13 0 6.5Z" fill="var(--buoy)" /></svg
				>trouble</span
			>
		</div>
	</section>
</div>
