<script lang="ts">
	import { untrack } from 'svelte';
	import { countWords, HOUR } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { findMachines } from '$lib/ui/forms/finding';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import { SHARE, SPAN } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import Why from '$lib/ui/why/Why.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	type By = 'share' | 'pools' | 'teams' | 'machines';
	interface Wave {
		by: By;
		/** Percent, of a wave that goes by share. */
		share: number | Unread;
		/** What is named, of the others. */
		named: string[];
	}
	const first = untrack(() => data.lines.find((l) => l.id === data.wanted.line) ?? data.lines[0]);
	const waveOf = (w: Wave) => (w.by === 'share' ? { by: 'share', percent: w.share } : { by: w.by, [w.by]: w.named });
	const MISSING: Record<By, string> = {
		share: 'Write a share.',
		pools: 'Choose at least one pool.',
		teams: 'Choose at least one team.',
		machines: 'Choose at least one machine.'
	};
	const form = new PlanForm({
		kind: 'image.rollout',
		start: {
			line: first?.id ?? '',
			number: untrack(() => data.wanted.number) ?? '',
			pools: [] as string[],
			waves: [
				{ by: 'share', share: 10, named: [] },
				{ by: 'share', share: 40, named: [] },
				{ by: 'share', share: 100, named: [] }
			] as Wave[],
			people: 'wait',
			deadline: (4 * HOUR) as number | Unread,
			hours: 'any',
			from: '20:00',
			until: '05:00',
			pause: (4 * HOUR) as number | Unread,
			longest: (48 * HOUR) as number | Unread,
			failedStarts: 5 as number | Unread,
			apdex: '0.85',
			failing: 10 as number | Unread,
			least: '10',
			onFail: 'return'
		},
		input: (x) => ({
			line: x.line,
			number: x.number,
			...(x.pools.length ? { pools: x.pools } : {}),
			waves: x.waves.map(waveOf),
			people: x.people,
			...(x.people === 'ask' || x.people === 'grace' ? { deadline: x.deadline } : {}),
			// Any hour is a window as long as the day.
			...(x.hours === 'any' ? {} : { from: x.from, until: x.until }),
			pause: x.pause,
			longest: x.longest,
			failedStarts: x.failedStarts,
			apdex: Number(x.apdex),
			failing: x.failing,
			least: Number(x.least),
			onFail: x.onFail
		}),
		wrong: (x) =>
			Object.fromEntries(
				x.waves.flatMap((w, i) => (w.by !== 'share' && !w.named.length ? [[`waves.${i}`, MISSING[w.by]]] : []))
			)
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const line = $derived(data.lines.find((l) => l.id === f.line));
	$effect(() => {
		if (line && !line.versions.some((v) => v.number === f.number)) f.number = line.versions.at(-1)?.number ?? '';
	});
	/** What each wave would be, in the order in which they are asked for. */
	const foreseen = $derived(
		(form.foreseen?.reasons ?? [])
			.filter((r) => r.source === 'waves')
			.map((r) => r.words.slice(r.words.lastIndexOf(': ') + 2))
	);
	const waveError = (i: number) =>
		Object.entries(errors).find(([key]) => key === `waves.${i}` || key.startsWith(`waves.${i}.`))?.[1];
	const tone: Record<string, string> = {
		running: 'pill-sea',
		paused: 'pill-sand',
		done: 'pill-kelp',
		returned: 'pill-buoy',
		stopped: 'pill-sand'
	};
</script>

<h1 class="sr-only">Rollouts</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	{#each data.rollouts as r (r.id)}
		<section
			class="border-hair bg-sheet mb-3 rounded-lg border px-3 py-2.5"
			aria-label="Rollout of {r.line} {r.number}"
		>
			<div class="flex items-baseline gap-3">
				<h2 class="head">
					{r.line}
					{r.number}
					<small
						>begun {momentWords(data.zone, r.began)} by {r.by}{r.ended
							? `, ended ${momentWords(data.zone, r.ended)}`
							: ''}</small
					>
				</h2>
				<span class={['pill', tone[r.state]]}>{r.state === 'paused' ? 'waits for a decision' : r.state}</span>
				<a class="link ml-auto text-[13px]" href="/jobs/{r.jobId}">log</a>
			</div>
			<ol class="mt-1.5 grid gap-2" style="grid-template-columns:repeat({Math.max(1, r.waves.length)},minmax(0,1fr))">
				{#each r.waves as w (w.wave)}
					{@const gate = r.gates.findLast((g) => g.wave === w.wave)}
					<li class="text-[13px]">
						<div class="flex justify-between gap-2">
							<b class="font-semibold">{w.words}</b><span class="text-ink3">{countWords(w.machines, 'machine')}</span>
						</div>
						<span class="bg-hair2 mt-1 flex h-2 overflow-hidden rounded" aria-hidden="true">
							<span class="bg-sea" style="width:{(100 * w.moved) / w.machines}%"></span>
							<span class="bg-buoy" style="width:{(100 * w.failed) / w.machines}%"></span>
							<span class="bg-sand" style="width:{(100 * w.returned) / w.machines}%"></span>
						</span>
						<p class="text-ink2 mt-0.5 text-[12.5px]">
							{w.moved} moved{w.failed ? `, ${w.failed} failed` : ''}{w.returned ? `, ${w.returned} returned` : ''};
							{#if gate}gate <span
									class={gate.verdict === 'passes'
										? 'text-kelp'
										: gate.verdict === 'fails'
											? 'text-buoy font-semibold'
											: 'text-sand'}>{gate.verdict === 'too few' ? 'has too few to tell' : gate.verdict}</span
								>{:else}no gate yet{/if}
						</p>
					</li>
				{/each}
			</ol>
			{#if r.gates.length}
				<details
					class="mt-1 text-[13px]"
					open={r.state === 'paused' || (r.state === 'returned' && r === data.rollouts[0])}
				>
					<summary class="text-sea">What the last gate saw</summary>
					<Why facts={r.gates.at(-1)!.facts} zone={data.zone} />
				</details>
			{/if}
			<div class="mt-2 flex flex-wrap gap-2">
				{#if r.state === 'paused' && may('rollout.decide')}
					<PlanButton kind="rollout.decide" input={{ rollout: r.id, decision: 'go on' }} words="Go on" />
					<PlanButton kind="rollout.decide" input={{ rollout: r.id, decision: 'return' }} words="Return the wave" />
					<PlanButton kind="rollout.decide" input={{ rollout: r.id, decision: 'stop' }} words="Stop here" />
				{/if}
				{#if may('rollout.return') && r.waves.some((w) => w.moved > 0)}
					<PlanButton kind="rollout.return" input={{ rollout: r.id }} words="Everything back, now" />
				{/if}
			</div>
		</section>
	{:else}<p class="text-ink2 text-[13.5px]">
			No rollout yet. A rollout brings a version to machines in waves, watches each, and goes back by itself when
			sign-ins, starts or checks get worse.
		</p>{/each}

	{#if may('image.rollout') && data.lines.length}
		<h2 class="head mt-5">Roll a version out</h2>
		<form class="mt-2" onsubmit={form.submit} novalidate>
			<div class="grid grid-cols-4 gap-x-4">
				<Field label="Image line" problem={errors.line}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.line} onchange={() => (f.pools = [])}
							>{#each data.lines as l (l.id)}<option value={l.id}>{l.name}</option>{/each}</select
						>{/snippet}</Field
				>
				<Field label="Version" problem={errors.number}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.number}
							>{#each (line?.versions ?? []).toReversed() as v (v.number)}<option value={v.number}
									>{v.number} ({v.machines} machines{v.held ? ', held' : ''})</option
								>{/each}</select
						>{/snippet}</Field
				>
				<Field label="People who are signed in" problem={errors.people}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.people}
							><option value="wait">wait for their sign-out</option><option value="ask">ask, with a deadline</option
							><option value="grace">tell, and sign out after a while</option><option value="idle"
								>only sessions that nobody is at</option
							></select
						>{/snippet}</Field
				>
				{#if f.people === 'ask' || f.people === 'grace'}<MeasureField
						label="Signed out after"
						measure={SPAN}
						problem={errors.deadline}
						bind:value={f.deadline}
					/>{/if}
			</div>
			<fieldset class="mt-1">
				<legend class="text-ink2 text-[12.5px]">Pools; none means all that would take it once released</legend>
				<div class="flex flex-wrap gap-x-4 text-[13px]">
					{#each line?.pools ?? [] as p (p.id)}<label class="flex items-center gap-1.5 py-0.5"
							><input type="checkbox" value={p.id} bind:group={f.pools} />{p.name}</label
						>{/each}
				</div>
				{#if errors.pools}<p class="text-buoy text-[12.5px]" role="alert">{errors.pools}</p>{/if}
			</fieldset>
			<fieldset class="mt-2">
				<legend class="text-ink2 text-[12.5px]">Waves</legend>
				{#each f.waves as w, i (i)}
					<div class="flex items-start gap-2 py-0.5">
						<span class="text-ink3 w-5 pt-1.5 text-right text-[12px]">{i + 1}</span>
						<select
							class="field w-[150px]"
							aria-label="Wave {i + 1} goes by"
							bind:value={w.by}
							onchange={() => (w.named = [])}
							><option value="share">share</option><option value="pools">pools</option><option value="teams"
								>teams</option
							><option value="machines">pilot machines</option></select
						>
						<div class="w-[300px]">
							{#if w.by === 'share'}<MeasureField
									label="Wave {i + 1}: share of all machines, earlier waves included"
									bare
									measure={SHARE}
									problem={waveError(i)}
									bind:value={w.share}
								/>
							{:else}<PickManyField
									bare
									label="Wave {i + 1}: {w.by}"
									none={w.by === 'machines' ? 'search for machines' : `choose ${w.by}`}
									options={w.by === 'machines' ? findMachines : w.by === 'teams' ? data.teams : (line?.pools ?? [])}
									problem={waveError(i)}
									bind:value={w.named}
								/>{/if}
						</div>
						<button
							type="button"
							class="btn btn-plain"
							aria-label="Take wave {i + 1} out"
							disabled={f.waves.length === 1}
							onclick={() => f.waves.splice(i, 1)}>×</button
						>
						{#if i === f.waves.length - 1}<button
								type="button"
								class="btn btn-plain"
								onclick={() => f.waves.push({ by: 'share', share: 100, named: [] })}>Add a wave</button
							>{/if}
						<span class="text-ink2 pt-1.5 text-[13px]">{foreseen[i] ?? ''}</span>
					</div>
				{/each}
			</fieldset>
			<div class="mt-1 grid grid-cols-4 gap-x-4">
				<Field label="Machines change" problem={undefined}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.hours}
							><option value="any">at any hour</option><option value="within">within hours of their site</option
							></select
						>{/snippet}</Field
				>
				{#if f.hours === 'within'}
					<TextField label="From" problem={errors.from} bind:value={f.from} />
					<TextField label="Until" problem={errors.until} bind:value={f.until} />
				{/if}
				<MeasureField label="Each wave is watched for" measure={SPAN} problem={errors.pause} bind:value={f.pause} />
				<MeasureField
					label="Waits for numbers at most"
					measure={SPAN}
					problem={errors.longest}
					bind:value={f.longest}
				/>
				<MeasureField
					label="Gate: failed starts over"
					measure={SHARE}
					problem={errors.failedStarts}
					bind:value={f.failedStarts}
				/>
				<TextField label="Gate: sign-in Apdex under" problem={errors.apdex} bind:value={f.apdex} inputmode="decimal" />
				<MeasureField
					label="Gate: failing machines over"
					measure={SHARE}
					problem={errors.failing}
					bind:value={f.failing}
				/>
				<TextField
					label="Fewer than this tell nothing"
					problem={errors.least}
					bind:value={f.least}
					inputmode="numeric"
				/>
				<Field label="When a gate fails" problem={errors.onFail}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.onFail}
							><option value="return">return to the version before</option><option value="pause">pause and ask</option
							></select
						>{/snippet}</Field
				>
			</div>
			<FormEnd {form} words="Plan the rollout" />
		</form>
	{/if}
</div>
