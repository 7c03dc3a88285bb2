<script lang="ts">
	import { checkSheet, STEP_KINDS, type BuildSheet } from '$lib/core/images/sheet';
	import { durationWords, parseDuration, parseSize, sizeWords } from '$lib/core/time/units';
	import { draftFrom } from '$lib/ui/plan/draft';
	import { untrack } from 'svelte';

	interface Props {
		line: string;
		sheet: BuildSheet;
		done: () => void;
	}
	let { line, sheet, done }: Props = $props();
	let key = 0;
	const row = (s: BuildSheet['steps'][number]) => ({
		key: key++,
		kind: s.kind,
		words: s.words,
		note: s.note ?? '',
		adds: s.adds?.name ?? '',
		version: s.adds?.version ?? '',
		size: s.adds ? sizeWords(s.adds.size) : ''
	});
	let steps = $state(untrack(() => sheet.steps.map(row)));
	let limit = $state(untrack(() => durationWords(sheet.limit)));
	let cores = $state(untrack(() => sheet.builder.cores));
	let errors: Record<string, string> = $state({});
	let said = $state('');

	const asSheet = $derived({
		limit: parseDuration(limit) ?? 0,
		builder: { ...sheet.builder, cores },
		steps: steps.map((s) => ({
			kind: s.kind,
			words: s.words,
			...(s.note ? { note: s.note } : {}),
			...(s.adds ? { adds: { name: s.adds, version: s.version, size: parseSize(s.size) ?? 0 } } : {})
		}))
	});
	const problems = $derived(checkSheet(asSheet));

	function move(i: number, by: number) {
		const to = i + by;
		if (to < 0 || to >= steps.length) return;
		[steps[i], steps[to]] = [steps[to]!, steps[i]!];
		said = `${steps[to]!.words} is now step ${to + 1}`;
	}
	async function plan(e: SubmitEvent) {
		e.preventDefault();
		errors = {};
		if (parseDuration(limit) === null) errors.limit = 'Write a duration such as 3 h 30 min.';
		steps.forEach((s, i) => {
			if (s.adds && parseSize(s.size) === null) errors[`steps.${i}.adds`] = 'Write a size such as 3.5 GB.';
		});
		if (Object.keys(errors).length) return;
		errors = await draftFrom('image.sheet', { line, ...asSheet });
		if (Object.keys(errors).length === 0) done();
	}
</script>

<form class="mt-1.5" onsubmit={plan}>
	<ol class="border-hair bg-sheet rounded-lg border">
		{#each steps as s, i (s.key)}
			{@const wrong = problems.find((p) => p.step === i)}
			<li class="border-hair2 border-b px-3 py-1.5 last:border-0">
				<div class="flex items-center gap-1.5">
					<span class="text-ink3 w-5 text-right text-[12px]">{i + 1}</span>
					<select class="field w-[118px]" bind:value={s.kind} aria-label="Kind of step {i + 1}"
						>{#each STEP_KINDS as k (k)}<option>{k}</option>{/each}</select
					>
					<input
						class="field flex-1"
						bind:value={s.words}
						aria-label="Words of step {i + 1}"
						onkeydown={(e) => {
							if (e.altKey && (e.key === 'ArrowUp' || e.key === 'ArrowDown')) {
								e.preventDefault();
								move(i, e.key === 'ArrowUp' ? -1 : 1);
							}
						}}
					/>
					<input class="field w-[130px]" bind:value={s.adds} placeholder="adds" aria-label="What step {i + 1} adds" />
					<input
						class="field w-[72px]"
						bind:value={s.version}
						placeholder="version"
						aria-label="Version that step {i + 1} adds"
					/>
					<input
						class="field w-[78px]"
						bind:value={s.size}
						placeholder="size"
						aria-label="Size of what step {i + 1} adds"
					/>
					<button type="button" class="btn btn-plain" aria-label="Move step {i + 1} up" onclick={() => move(i, -1)}
						>↑</button
					>
					<button type="button" class="btn btn-plain" aria-label="Move step {i + 1} down" onclick={() => move(i, 1)}
						>↓</button
					>
					<button
						type="button"
						class="btn btn-plain"
						aria-label="Take step {i + 1} out"
						onclick={() => steps.splice(i, 1)}>×</button
					>
				</div>
				{#if wrong}<p class="text-buoy pl-7 text-[12.5px]">{wrong.fact.words}</p>{/if}
				{#if errors[`steps.${i}.adds`] || errors[`steps.${i}.words`]}<p
						class="text-buoy pl-7 text-[12.5px]"
						role="alert"
					>
						{errors[`steps.${i}.adds`] ?? errors[`steps.${i}.words`]}
					</p>{/if}
			</li>
		{/each}
	</ol>
	<div class="mt-2 flex items-end gap-3 text-[13px]">
		<button
			type="button"
			class="btn"
			onclick={() => steps.splice(Math.max(0, steps.length - 2), 0, row({ kind: 'package', words: 'Install …' }))}
			>Add a step</button
		>
		<label>Limit <input class="field w-[110px]" bind:value={limit} aria-invalid={errors.limit !== undefined} /></label>
		<label>Builder cores <input class="field w-[70px]" type="number" min="1" max="64" bind:value={cores} /></label>
		<span class="text-buoy flex-1 text-[12.5px]" role="alert"
			>{errors.limit ??
				errors.form ??
				errors['builder.cores'] ??
				problems
					.filter((p) => p.step < 0)
					.map((p) => p.fact.words)
					.join('; ')}</span
		>
		<button class="btn btn-go">Plan this sheet</button>
	</div>
	<p class="sr-only" role="status">{said}</p>
</form>
