<script lang="ts">
	import { page } from '$app/state';
	import { durationWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import SheetEditor from './SheetEditor.svelte';

	let { data } = $props();
	let editing = $state(false);
	const total = $derived(Math.max(1, data.sheet?.limit ?? 1, data.expected?.ninety ?? 1));
	const starts = $derived(data.steps.map((_s, i) => data.steps.slice(0, i).reduce((n, s) => n + s.middle, 0)));
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const radius = (machines: number, all: number) => (machines ? 4 + 11 * Math.sqrt(machines / Math.max(1, all)) : 5);
	/** Stops stand side by side; the oldest are left out when they do not fit. */
	const stopsOf = (line: (typeof data.lines)[number]) => [
		...line.versions.slice(-4).map((v) => ({ ...v, draft: null })),
		...line.drafts.map((d) => ({ number: d.number, machines: 0, held: false, draft: d }))
	];
	const DX = $derived(data.card || data.plan ? 128 : 170);
</script>

<h1 class="sr-only">Build</h1>
<div class="px-[18px] py-3">
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
									fill={s.draft || s.held ? 'var(--paper)' : 'var(--sea)'}
									stroke={s.draft ? 'var(--plum)' : s.held ? 'var(--sand)' : 'var(--sea)'}
									stroke-width="1.6"
									stroke-dasharray={s.draft ? '2.5 2' : undefined}
								/></svg
							>
							<span class="text-[12px] leading-[13px] whitespace-nowrap">
								{s.number}<br /><span class="text-ink3"
									>{s.draft
										? s.draft.state === 'running'
											? `building ${Math.round(s.draft.progress * 100)} %`
											: s.draft.state
										: `${s.machines} machines`}{s.held ? ' · held' : ''}</span
								>
							</span>
						</a>
					{/each}
				</div>
			</div>
		{/each}
	</div>

	{#if data.sheet && data.chosen}
		<div class="mt-5 flex items-baseline">
			<h2 class="head">
				Build sheet of {data.chosen} <small>for {data.next}{editing ? '; Alt ↑ ↓ moves a step' : ''}</small>
			</h2>
			{#if may('image.sheet')}<button class="btn btn-plain ml-auto" onclick={() => (editing = !editing)}
					>{editing ? 'Leave the sheet as it is' : 'Change the sheet'}</button
				>{/if}
		</div>
		{#if editing}
			{#key data.chosen}<SheetEditor line={data.chosen} sheet={data.sheet} done={() => (editing = false)} />{/key}
		{:else}
			<ol class="border-hair bg-sheet mt-1.5 overflow-hidden rounded-lg border">
				{#each data.sheet.steps as s, i (i)}
					{@const e = data.steps[i]!}
					{@const wrong = data.problems.find((p) => p.step === i)}
					<li
						class="border-hair2 grid grid-cols-[26px_minmax(0,1fr)_210px_96px] items-center gap-2.5 border-b px-3 py-1.5 text-[13.5px] last:border-0"
					>
						<span class="text-ink3 text-right text-[12px]">{i + 1}</span>
						<span
							><b class="font-semibold">{s.words}</b>
							<span class="text-ink3 text-[12.5px]">{s.note ?? ''}</span>{#if wrong}<span
									class="text-buoy block text-[12.5px]">{wrong.fact.words}</span
								>{/if}</span
						>
						<span class="bg-hair2 relative h-2 rounded" aria-hidden="true">
							<span
								class="bg-sea2 absolute h-2 rounded"
								style="left:{(100 * starts[i]!) / total}%;width:{(100 * e.ninety) / total}%"
							></span>
							<span
								class="bg-sea absolute top-[2.5px] h-[3px]"
								style="left:{(100 * starts[i]!) / total}%;width:{(100 * e.middle) / total}%"
							></span>
						</span>
						<span class="text-ink2 text-right text-[12.5px]" title="from {e.runs} past runs"
							>{durationWords(e.middle)}</span
						>
					</li>
				{/each}
			</ol>
			<div class="text-ink2 mt-2 flex items-center gap-2.5 text-[13px]">
				<p class="flex-1">
					Expected {durationWords(data.expected!.middle)}, nine times in ten under {durationWords(
						data.expected!.ninety
					)}, limit {durationWords(data.sheet.limit)}{data.over >= 0.01
						? `; ${Math.round(data.over * 100)} % chance to run past it`
						: ''}. Builder: {data.sheet.builder.cores} cores, disk {Math.round(data.sheet.builder.disk / 1e9)} GB. From {data
						.expected!.runs
						? `at least ${data.expected!.runs} past runs of each step`
						: 'runs of the same kind of step'}.
				</p>
				{#if may('image.build')}<PlanButton
						kind="image.build"
						input={{ line: data.chosen, number: data.next }}
						words="Plan build {data.next}"
						main
					/>{/if}
			</div>
		{/if}
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
						<tr>
							<td class="font-semibold">{b.number}</td><td>{momentWords(data.zone, b.began)}</td><td>{b.by}</td>
							<td
								><span
									class={['pill', b.state === 'done' ? 'pill-kelp' : b.state === 'running' ? 'pill-sea' : 'pill-buoy']}
									>{b.state}</span
								></td
							>
							<td class="num">{b.doneSteps}</td>
							<td class="num"
								><a class="link" href="/jobs/{b.jobId}">log</a
								>{#if (b.state === 'failed' || b.state === 'cancelled') && may('image.resume')}&ensp;<PlanButton
										kind="image.resume"
										input={{ build: b.id }}
										words="Resume"
									/>{/if}</td
							>
						</tr>
					{/each}
				</tbody>
			</table>
		{/if}
	{/if}
</div>
