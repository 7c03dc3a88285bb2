<script lang="ts">
	import { createVirtualizer } from '@tanstack/svelte-virtual';
	import { untrack } from 'svelte';
	import { page } from '$app/state';
	import { numberWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import Why from '$lib/ui/why/Why.svelte';

	let { data } = $props();
	const ROW = 32;
	let box: HTMLDivElement | undefined = $state();
	const list = createVirtualizer<HTMLDivElement, HTMLTableRowElement>({
		count: 0,
		getScrollElement: () => box ?? null,
		estimateSize: () => ROW,
		overscan: 10
	});
	$effect(() => {
		const count = data.teams.length;
		void box;
		untrack(() => $list.setOptions({ count, getScrollElement: () => box ?? null }));
	});
	const items = $derived($list.getVirtualItems());
	const shown = $derived(items.length ? items.map((i) => i.index) : data.teams.slice(0, 40).map((_t, i) => i));
	const before = $derived(items[0]?.start ?? 0);
	const after = $derived(items.length ? $list.getTotalSize() - items.at(-1)!.end : 0);
	const csv = $derived(addressWith(page.url, { card: null, plan: null, cell: null }, '/api/v1/who.csv'));
	const asked = $derived(
		data.cell && {
			...data.cell,
			team: data.teams.find((t) => t.id === data.cell!.team),
			publication: data.publications.find((p) => p.id === data.cell!.publication)
		}
	);
	const wordsOf = (t: (typeof data.teams)[number], c: number) =>
		`${t.has[c]} of ${t.people} people of ${t.name} are granted ${data.publications[c]!.name}; ${t.now[c]} could open it now; required of ${t.required[c]}`;
</script>

<svelte:head><title>Who gets what · Sextant</title></svelte:head>
<h1 class="sr-only">Who gets what</h1>
<div class="px-[18px] py-3">
	<PublishNav />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">
			Grants as they stand now, on the days and hours of that moment.
		</p>{/if}
	<LeftOut left={data.left} of="teams and publications" />
	<div class="flex items-baseline gap-2">
		<h2 class="head">
			Who gets what <small>people of each team, teams below counted in; press a figure for the reason</small>
		</h2>
		<a class="btn ml-auto" href={csv} download="who-gets-what.csv">As CSV</a>
	</div>
	{#if asked?.team && asked.publication}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Reason">
			<h3 class="head">
				{asked.team.name} and {asked.publication.name}
				<small>{wordsOf(asked.team, data.publications.indexOf(asked.publication))}</small>
			</h3>
			<div class="mt-1"><Why facts={asked.facts} zone={data.zone} /></div>
			<a class="btn btn-plain mt-1" href={addressWith(page.url, { cell: null })}>Close</a>
		</section>
	{/if}
	<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
	<div
		class="mt-1 max-h-[calc(100vh-300px)] overflow-auto"
		bind:this={box}
		tabindex="0"
		role="region"
		aria-label="Teams against publications"
	>
		<table class="grid-table" aria-rowcount={data.teams.length + 2}>
			<thead class="bg-paper sticky top-0 z-10">
				<tr>
					<th class="bg-paper sticky left-0">team</th><th class="num">people</th>
					{#each data.publications as p (p.id)}
						<th class="num"
							><a
								class="hover:text-sea"
								href={addressWith(page.url, { card: `publication/${p.id}` })}
								title="people see “{p.shown}”">{p.name}</a
							></th
						>
					{/each}
				</tr>
				<tr class="text-ink2">
					<th class="bg-paper sticky left-0 font-normal">everybody</th><td></td>
					{#each data.publications as p (p.id)}<th class="num">{numberWords(p.people)}</th>{/each}
				</tr>
			</thead>
			<tbody>
				{#if before}<tr aria-hidden="true"
						><td style="height:{before}px" colspan={data.publications.length + 2}></td></tr
					>{/if}
				{#each shown as i (data.teams[i]!.id)}
					{@const t = data.teams[i]!}
					<tr aria-rowindex={i + 3}>
						<td class="bg-paper sticky left-0 whitespace-nowrap" style="padding-left:{8 + t.depth * 16}px"
							><a
								class="hover:text-sea"
								data-row
								href={addressWith(page.url, { scope: `team:${t.id}`, list: 'people' }, '/watch')}>{t.name}</a
							></td
						>
						<td class="num text-ink3">{numberWords(t.people)}</td>
						{#each data.publications as p, c (p.id)}
							<td class="num"
								>{#if t.has[c]}<a
										class={t.has[c] === t.people ? 'link' : 'text-sea'}
										title={wordsOf(t, c)}
										href={addressWith(page.url, { cell: `${t.id}/${p.id}` })}
										>{numberWords(t.has[c]!)}{#if t.now[c] !== t.has[c]}<span class="text-sand text-[11px]"
												>&ensp;{numberWords(t.now[c]!)} now</span
											>{/if}</a
									>{:else}<a
										class="text-ink3"
										aria-label="nobody of {t.name} has {p.name}"
										href={addressWith(page.url, { cell: `${t.id}/${p.id}` })}>–</a
									>{/if}</td
							>
						{/each}
					</tr>
				{/each}
				{#if after}<tr aria-hidden="true"><td style="height:{after}px" colspan={data.publications.length + 2}></td></tr
					>{/if}
			</tbody>
		</table>
	</div>
	<p class="text-ink3 mt-2 text-[12.5px]">
		“now” is how many could open it at this moment: by its conditions, and unless it is switched off. For one person,
		look at their <a class="link" href={addressWith(page.url, { cell: null }, '/publish/shelves')}>shelf</a>.
	</p>
</div>
