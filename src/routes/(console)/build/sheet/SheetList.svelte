<script lang="ts">
	import { tick, untrack } from 'svelte';
	import { dragHandle, dragHandleZone, type DndEvent } from 'svelte-dnd-action';
	import { GROUPS, kindOf, KINDS } from '$lib/core/images/library/kinds';
	import { readParam, type ParamValue } from '$lib/core/images/library/params';
	import { makeStep, stepNote, stepWords, type BuildSheet, type Supplies } from '$lib/core/images/sheet';
	import { type SheetStep } from '$lib/core/images/sheet-step';
	import { durationWords, parseDuration, parseSize, sizeWords } from '$lib/core/time/units';
	import type { SheetReport } from '$lib/server/images';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import ParamField from './ParamField.svelte';

	interface Props {
		sheet: BuildSheet;
		report: SheetReport;
		supplies: Supplies;
		errors: Record<string, string>;
		readonly: boolean;
		change: (sheet: BuildSheet) => void;
	}
	let { sheet, report, supplies, errors, readonly, change }: Props = $props();

	// A step keeps its key while it is moved and changed, so that focus and open forms stay with it.
	const keys = new WeakMap<SheetStep, number>();
	let lastKey = 0;
	const keyOf = (s: SheetStep) => {
		let key = keys.get(s);
		if (key === undefined) keys.set(s, (key = ++lastKey));
		return key;
	};
	interface Item {
		id: number;
		step: SheetStep;
	}
	let items: Item[] = $state.raw([]);
	$effect.pre(() => {
		items = sheet.steps.map((step) => ({ id: keyOf(step), step }));
	});
	let open: number | null = $state(null);
	let said = $state('');
	let search = $state('');
	// What is typed into the fields of the builder is kept as typed until it can be read.
	let limit = $state(untrack(() => durationWords(sheet.limit)));
	let memory = $state(untrack(() => sizeWords(sheet.builder.memory)));
	let disk = $state(untrack(() => sizeWords(sheet.builder.disk)));
	const own: Record<string, string> = $state({});

	const setSteps = (steps: SheetStep[]) => change({ ...sheet, steps });
	function move(i: number, by: number) {
		const to = i + by;
		if (to < 0 || to >= sheet.steps.length) return;
		const steps = [...sheet.steps];
		[steps[i], steps[to]] = [steps[to]!, steps[i]!];
		said = `${stepWords(steps[to]!)} is now step ${to + 1}`;
		setSteps(steps);
	}
	async function keys_(e: KeyboardEvent, i: number) {
		if (!e.altKey || (e.key !== 'ArrowUp' && e.key !== 'ArrowDown') || readonly) return;
		e.preventDefault();
		const key = keyOf(sheet.steps[i]!);
		move(i, e.key === 'ArrowUp' ? -1 : 1);
		await tick();
		document.querySelector<HTMLElement>(`[data-step="${key}"]`)?.focus();
	}
	function replace(i: number, step: SheetStep) {
		keys.set(step, keyOf(sheet.steps[i]!));
		setSteps(sheet.steps.map((s, j) => (j === i ? step : s)));
	}
	function setParam(i: number, name: string, typed: ParamValue | undefined) {
		const step = sheet.steps[i]!;
		const param = kindOf(step.kind)!.params[name]!;
		const values = { ...step.with };
		const read = typed === undefined ? null : readParam(param, typed);
		if (read === null || ('value' in read && read.value === undefined)) delete values[name];
		else values[name] = 'value' in read ? read.value! : typed!;
		replace(i, { ...step, with: values });
	}
	/** Before the agent, where there is one: what is added hardly ever belongs after it. */
	function add(kind: string) {
		const step = makeStep(kind);
		const agent = sheet.steps.findIndex((s) => s.kind === 'agent' || kindOf(s.kind)?.closes);
		const at =
			kind === 'source' ? 0 : agent < 0 || kindOf(kind)?.closes || kind === 'agent' ? sheet.steps.length : agent;
		open = keyOf(step);
		said = `${stepWords(step)} is now step ${at + 1}`;
		setSteps([...sheet.steps.slice(0, at), step, ...sheet.steps.slice(at)]);
	}
	function takeOut(i: number) {
		said = `${stepWords(sheet.steps[i]!)} has been taken out`;
		setSteps(sheet.steps.filter((_s, j) => j !== i));
	}
	function setBuilder() {
		const read = { limit: parseDuration(limit), memory: parseSize(memory), disk: parseSize(disk) };
		own.limit = read.limit === null ? 'Write a duration such as 3 h 30 min.' : '';
		own.memory = read.memory === null ? 'Write a size such as 16 GB.' : '';
		own.disk = read.disk === null ? 'Write a size such as 96 GB.' : '';
		change({
			...sheet,
			limit: read.limit ?? sheet.limit,
			builder: { ...sheet.builder, memory: read.memory ?? sheet.builder.memory, disk: read.disk ?? sheet.builder.disk }
		});
	}
	const general = (field: string) =>
		errors[field] ??
		(own[field.replace('builder.', '')] || report.problems.find((p) => p.step < 0 && p.field === field)?.fact.words);
	const problemOf = (i: number, name: string) =>
		errors[`steps.${i}.${name}`] ?? report.problems.find((p) => p.step === i && p.field === name)?.fact.words;
	const problemsOf = (i: number) => report.problems.filter((p) => p.step === i);
	const found = $derived(
		KINDS.filter((k) => `${k.kind} ${k.says} ${k.group}`.toLowerCase().includes(search.trim().toLowerCase()))
	);
	const drop = (e: CustomEvent<DndEvent<Item>>, done: boolean) => {
		items = e.detail.items;
		if (done) {
			const moved = items.findIndex((x, i) => x.id !== keyOf(sheet.steps[i]!));
			if (moved >= 0) {
				said = `${stepWords(items[moved]!.step)} is now step ${moved + 1}`;
				setSteps(items.map((x) => x.step));
			}
		}
	};
</script>

<div class="mt-2 grid grid-cols-5 gap-x-3">
	<TextField label="Limit" problem={general('limit')} bind:value={limit} onchange={setBuilder} disabled={readonly} />
	<Field label="Builder cores" problem={general('builder.cores')}
		>{#snippet children(p)}<input
				{...p}
				class="field"
				type="number"
				min="1"
				max="64"
				disabled={readonly}
				value={sheet.builder.cores}
				onchange={(e) => change({ ...sheet, builder: { ...sheet.builder, cores: Number(e.currentTarget.value) } })}
			/>{/snippet}</Field
	>
	<TextField
		label="Memory"
		problem={general('builder.memory')}
		bind:value={memory}
		onchange={setBuilder}
		disabled={readonly}
	/>
	<TextField
		label="Disk"
		problem={general('builder.disk')}
		bind:value={disk}
		onchange={setBuilder}
		disabled={readonly}
	/>
	<Field label="Generation" problem={general('builder.generation')}
		>{#snippet children(p)}<select
				{...p}
				class="field"
				disabled={readonly}
				value={String(sheet.builder.generation)}
				onchange={(e) =>
					change({ ...sheet, builder: { ...sheet.builder, generation: e.currentTarget.value === '1' ? 1 : 2 } })}
				><option value="1">1 (BIOS)</option><option value="2">2 (UEFI)</option></select
			>{/snippet}</Field
	>
</div>

<div class={['mt-1 grid gap-4', readonly ? '' : 'grid-cols-[minmax(0,1fr)_280px]']}>
	<ol
		class="border-hair bg-sheet self-start rounded-lg border"
		aria-label="Steps"
		use:dragHandleZone={{ items, flipDurationMs: 120, dropTargetStyle: {}, dragDisabled: readonly, type: 'steps' }}
		onconsider={(e) => drop(e, false)}
		onfinalize={(e) => drop(e, true)}
	>
		{#each items as item, i (item.id)}
			{@const wrong = problemsOf(i)}
			{@const e = report.steps[i]}
			<li class="border-hair2 bg-sheet border-b first:rounded-t-lg last:rounded-b-lg last:border-0">
				<div class="flex items-center gap-2 px-2 py-1.5 text-[13.5px]">
					{#if !readonly}<span
							use:dragHandle
							aria-label="Drag step {i + 1}: {stepWords(item.step)}"
							class="text-ink3 cursor-grab px-1 select-none">⠿</span
						>{/if}
					<span class="text-ink3 w-5 text-right text-[12px]">{i + 1}</span>
					<button
						class="min-w-0 flex-1 text-left"
						data-step={item.id}
						aria-expanded={open === item.id}
						onclick={() => (open = open === item.id ? null : item.id)}
						onkeydown={(ev) => keys_(ev, i)}
					>
						<b class="font-semibold">{stepWords(item.step)}</b>
						<span class="text-ink3 text-[12.5px]">{stepNote(item.step)}</span>
					</button>
					<span class="text-ink2 text-[12.5px] whitespace-nowrap"
						>{e && report.steps.length === items.length ? durationWords(e.middle) : ''}</span
					>
					{#if !readonly}
						<button
							class="btn btn-plain"
							aria-label="Move step {i + 1} up"
							disabled={i === 0}
							onclick={() => move(i, -1)}>↑</button
						>
						<button
							class="btn btn-plain"
							aria-label="Move step {i + 1} down"
							disabled={i === items.length - 1}
							onclick={() => move(i, 1)}>↓</button
						>
						<button class="btn btn-plain" aria-label="Take step {i + 1} out" onclick={() => takeOut(i)}>×</button>
					{/if}
				</div>
				{#each wrong.filter((w) => w.field === undefined || open !== item.id) as w (w.fact.words)}<p
						class="text-buoy pb-1 pl-14 text-[12.5px]"
					>
						{w.fact.words}
					</p>{/each}
				{#if open === item.id}
					<div class="bg-shade grid grid-cols-3 gap-x-3 px-4 py-2 pl-14">
						{#each Object.entries(kindOf(item.step.kind)?.params ?? {}) as [name, param] (name)}
							<ParamField
								{name}
								{param}
								value={item.step.with[name]}
								problem={problemOf(i, name)}
								{supplies}
								{readonly}
								change={(v) => setParam(i, name, v)}
							/>
						{/each}
						<TextField
							label="Remark"
							value={item.step.note ?? ''}
							disabled={readonly}
							onchange={(ev) => {
								const { note: _note, ...rest } = item.step;
								const note = ev.currentTarget.value.trim();
								replace(i, note ? { ...rest, note } : rest);
							}}
						/>
						<TextField
							label="Name for other steps"
							value={item.step.id ?? ''}
							problem={problemOf(i, 'id')}
							disabled={readonly}
							onchange={(ev) => {
								const { id: _id, ...rest } = item.step;
								const id = ev.currentTarget.value.trim();
								replace(i, id ? { ...rest, id } : rest);
							}}
						/>
						<TextField
							label="After the steps named"
							value={(item.step.after ?? []).join(', ')}
							problem={problemOf(i, 'after')}
							disabled={readonly}
							onchange={(ev) => {
								const { after: _after, ...rest } = item.step;
								const after = ev.currentTarget.value
									.split(',')
									.map((s) => s.trim())
									.filter(Boolean);
								replace(i, after.length ? { ...rest, after } : rest);
							}}
						/>
						<p class="text-ink3 col-span-full text-[12.5px]">{kindOf(item.step.kind)?.says}</p>
					</div>
				{/if}
			</li>
		{/each}
	</ol>

	{#if !readonly}
		<section aria-label="Library of steps" class="text-[13px]">
			<label class="text-ink2 text-[12.5px]"
				>Add a step <input class="field" placeholder="search {KINDS.length} kinds" bind:value={search} /></label
			>
			<div class="mt-1 max-h-[52vh] overflow-y-auto pr-1">
				{#each GROUPS as group (group)}
					{@const kinds = found.filter((k) => k.group === group)}
					{#if kinds.length}
						<h3 class="text-ink2 mt-2 text-[12.5px] font-semibold">{group}</h3>
						{#each kinds as k (k.kind)}
							<button
								class="border-hair2 hover:bg-seawash block w-full border-b px-1 py-1 text-left"
								onclick={() => add(k.kind)}
								><b class="font-semibold">{k.kind}</b> <span class="text-ink3 text-[12.5px]">{k.says}</span></button
							>
						{/each}
					{/if}
				{/each}
				{#if found.length === 0}<p class="text-ink2 mt-2">
						No kind of step is like that. A script can do anything.
					</p>{/if}
			</div>
		</section>
	{/if}
</div>
<p class="sr-only" role="status">{said}</p>
