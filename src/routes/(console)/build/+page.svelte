<script lang="ts">
	import { page } from '$app/state';
	import { durationWords, moneyWords, sizeWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	const report = $derived(data.report);
	const total = $derived(Math.max(1, report?.sheet.limit ?? 1, report?.expected.ninety ?? 1));
	const starts = $derived(
		report?.steps.map((_s, i) => report.steps.slice(0, i).reduce((n, s) => n + s.middle, 0)) ?? []
	);
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const radius = (machines: number, all: number) => (machines ? 4 + 11 * Math.sqrt(machines / Math.max(1, all)) : 5);
	/** Stops stand side by side; the oldest are left out when they do not fit. */
	const stopsOf = (line: (typeof data.lines)[number]) => [
		...line.versions.slice(-4).map((v) => ({ ...v, draft: null })),
		...line.drafts.map((d) => ({ number: d.number, machines: 0, held: false, retired: false, open: false, draft: d }))
	];
	type Stop = ReturnType<typeof stopsOf>[number];
	const stateOf = (s: Stop) =>
		s.draft
			? s.draft.state === 'running'
				? `building ${Math.round(s.draft.progress * 100)} %`
				: s.draft.state
			: `${s.machines} machines${s.open ? ' · open' : s.retired ? ' · retired' : s.held ? ' · held' : ''}`;
	const DX = $derived(data.card || data.plan ? 128 : 170);
	const percent = (share: number) => (share > 0 && share < 0.005 ? 'under 1 %' : `${Math.round(share * 100)} %`);
	const lacking = $derived(report?.rights.filter((r) => !r.granted) ?? []);
	const general = $derived(report?.problems.filter((p) => p.step < 0) ?? []);
</script>

<h1 class="sr-only">Build</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">
			Image lines have no forecast: this is the present.
		</p>{/if}
	<h2 class="head">Lines <small>each stop is a version; the dot is as big as the share of machines on it</small></h2>
	{#if data.lines.length === 0}<p class="text-ink2 mt-2">
			No image line has machines in this scope. Image lines come with the estate file.
		</p>{/if}
	<div class="mt-1.5 overflow-x-auto">
		{#each data.lines as line (line.id)}
			{@const stops = stopsOf(line)}
			<div class={['flex h-9 items-center', line.id === data.chosen && 'bg-seawash rounded']}>
				<a
					class="hover:text-sea w-[120px] truncate px-1 text-[12.5px] font-semibold"
					data-row
					href={addressWith(page.url, { line: line.id })}
					aria-current={line.id === data.chosen ? 'true' : undefined}>{line.name}</a
				>
				<span class="text-ink3 w-[44px] text-right text-[12px]" title="machines">{line.machines}</span>
				<div class="relative h-9 flex-1" style="min-width:{stops.length * DX + 60}px">
					<span class="bg-hair absolute top-[17px] left-5 h-[2px]" style="width:{(stops.length - 1) * DX + 20}px"
					></span>
					{#each stops as s, i (s.number)}
						{@const r = radius(s.machines, line.machines)}
						<a
							href={s.draft
								? `/jobs/${s.draft.jobId}`
								: addressWith(page.url, { card: `version/${line.id}/${s.number}` })}
							class="hover:text-sea absolute flex items-center gap-1.5"
							style="left:{40 + i * DX - r}px;top:{18 - Math.max(r, 15)}px;height:{2 * Math.max(r, 15)}px"
						>
							<svg width={2 * r + 2} height={2 * r + 2} aria-hidden="true"
								><circle
									cx={r + 1}
									cy={r + 1}
									{r}
									fill={s.draft || s.held || s.retired ? 'var(--paper)' : 'var(--sea)'}
									stroke={s.draft || s.open
										? 'var(--plum)'
										: s.retired
											? 'var(--ink3)'
											: s.held
												? 'var(--sand)'
												: 'var(--sea)'}
									stroke-width="1.6"
									stroke-dasharray={s.draft ? '2.5 2' : undefined}
								/></svg
							>
							<span class="text-[12px] leading-[13px] whitespace-nowrap">
								{s.number}<br /><span class="text-ink3">{stateOf(s)}</span>
							</span>
						</a>
					{/each}
				</div>
			</div>
		{/each}
	</div>

	{#if report && data.chosen}
		<div class="mt-5 flex items-baseline">
			<h2 class="head">Build sheet of {data.chosen} <small>for {data.next}</small></h2>
			<span class="ml-auto flex gap-3 text-[13px]">
				<a class="link" href="/api/v1/sheets/{data.chosen}" target="_blank" rel="noreferrer">as a file</a>
				<a class="link" href={addressWith(page.url, { card: null, line: data.chosen }, '/build/sheet')}
					>{may('image.sheet') ? 'Change the sheet' : 'Look at the sheet'}</a
				>
			</span>
		</div>
		{#if data.opening}
			<p class="bg-plumwash text-plum mt-1.5 rounded-md px-3 py-1.5 text-[13px]">
				{data.opening.number} is open for work by hand by {data.opening.by} since {momentWords(
					data.zone,
					data.opening.since
				)}; no machine is made from it meanwhile.
				<a class="link" href={addressWith(page.url, { card: null, line: data.chosen }, '/build/console')}>Its console</a
				>
			</p>
		{/if}
		<ol class="border-hair bg-sheet mt-1.5 overflow-hidden rounded-lg border">
			{#each report.steps as e, i (i)}
				{@const wrong = report.problems.filter((p) => p.step === i)}
				<li
					class="border-hair2 grid grid-cols-[26px_minmax(0,1fr)_210px_96px] items-center gap-2.5 border-b px-3 py-1.5 text-[13.5px] last:border-0"
				>
					<span class="text-ink3 text-right text-[12px]">{i + 1}</span>
					<span
						><b class="font-semibold">{e.words}</b>
						<span class="text-ink3 text-[12.5px]">{e.note}</span>{#each wrong as w (w.fact.words)}<span
								class="text-buoy block text-[12.5px]">{w.fact.words}</span
							>{/each}</span
					>
					<span class="bg-hair2 relative h-2 rounded" aria-hidden="true">
						<span
							class="bg-sea2 absolute h-2 rounded"
							style="left:{(100 * starts[i]!) / total}%;width:{Math.min(
								100 - (100 * starts[i]!) / total,
								(100 * e.ninety) / total
							)}%"
						></span>
						<span
							class="bg-sea absolute top-[2.5px] h-[3px]"
							style="left:{(100 * starts[i]!) / total}%;width:{(100 * e.middle) / total}%"
						></span>
					</span>
					<span class="text-ink2 text-right text-[12.5px]" title="{e.runs} past runs, from {e.from}"
						>{durationWords(e.middle)}{#if e.from === 'its kind' || e.from === 'assumption'}<span
								class="text-sand"
								title="this step has hardly run yet">&thinsp;?</span
							>{/if}</span
					>
				</li>
			{/each}
		</ol>
		{#each general as p (p.fact.words)}<p class="text-buoy mt-1 text-[13px]">{p.fact.words}</p>{/each}
		{#if lacking.length}<p class="text-buoy mt-1 text-[13px]">
				The builder’s account may not {lacking.map((r) => r.words).join(', nor ')}.
			</p>{/if}
		<div class="text-ink2 mt-2 flex items-start gap-4 text-[13px]">
			<p class="flex-1">
				Expected {durationWords(report.expected.middle)}, nine times in ten under {durationWords(
					report.expected.ninety
				)};
				{percent(report.over)} chance to run past the limit of {durationWords(report.sheet.limit)}. Builder: {report
					.sheet.builder.cores} cores, disk {sizeWords(report.sheet.builder.disk)}, generation {report.sheet.builder
					.generation}.
				{#if report.saves}Trimming saves {report.saves}.{/if}
			</p>
			{#if may('image.build')}<PlanButton
					kind="image.build"
					input={{ line: data.chosen, number: data.next }}
					words="Plan build {data.next}"
					main
				/>{/if}
		</div>
		<details class="mt-1 text-[13px]">
			<summary class="text-sea">Another builder: what it changes in time and cost</summary>
			<table class="grid-table mt-1 max-w-[560px]">
				<thead
					><tr
						><th>builder</th><th class="num">middle</th><th class="num">nine in ten under</th><th class="num">cost</th
						></tr
					></thead
				>
				<tbody>
					{#each report.builders as b (`${b.cores}/${b.disk}`)}
						<tr
							><td class={b.own ? 'font-semibold' : ''}
								>{b.cores} cores, disk {sizeWords(b.disk)}{b.own ? ' (as it is)' : ''}</td
							><td class="num">{durationWords(b.middle)}</td><td class="num">{durationWords(b.ninety)}</td><td
								class="num">{moneyWords(b.cost)}</td
							></tr
						>
					{/each}
				</tbody>
			</table>
		</details>
		{#if data.builds.length}
			<h2 class="head mt-5">Builds of {data.chosen}</h2>
			<table class="grid-table mt-1">
				<thead
					><tr
						><th>version</th><th>begun</th><th>by</th><th>state</th><th class="num">steps done</th><th
							><span class="sr-only">actions</span></th
						></tr
					></thead
				>
				<tbody>
					{#each data.builds as b (b.id)}
						{@const stopped = b.state === 'failed' || b.state === 'cancelled'}
						<tr>
							<td class="font-semibold">{b.number}</td><td>{momentWords(data.zone, b.began)}</td><td>{b.by}</td>
							<td
								><span
									class={[
										'pill',
										b.state === 'done'
											? 'pill-kelp'
											: b.state === 'running'
												? 'pill-sea'
												: stopped
													? 'pill-buoy'
													: 'pill-sand'
									]}>{b.state}</span
								></td
							>
							<td class="num">{b.doneSteps}</td>
							<td
								><span class="flex flex-wrap items-center justify-end gap-2"
									><a class="link" href="/jobs/{b.jobId}">log</a>{#if stopped && may('image.resume')}<PlanButton
											kind="image.resume"
											input={{ build: b.id }}
											words="Resume"
										/>{#if b.changed}<PlanButton
												kind="image.resume"
												input={{ build: b.id, sheet: 'as it is now' }}
												words="Resume with the changed sheet"
											/>{/if}<PlanButton kind="image.abandon" input={{ build: b.id }} words="Give it up" />{/if}</span
								></td
							>
						</tr>
					{/each}
				</tbody>
			</table>
		{/if}
	{/if}
</div>
