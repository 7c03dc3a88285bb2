<script lang="ts">
	import { untrack } from 'svelte';
	import { writeSheet, readSheet, type TextProblem } from '$lib/core/images/sheet-text';
	import type { BuildSheet } from '$lib/core/images/sheet';
	import { durationWords } from '$lib/core/time/units';
	import type { SheetReport } from '$lib/server/images';
	import { arrive } from '$lib/ui/frame/arrive';
	import { call } from '$lib/ui/plan/api';
	import { draftFrom } from '$lib/ui/plan/draft';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import SheetList from './SheetList.svelte';
	import SheetText from './SheetText.svelte';

	let { data } = $props();
	const may = $derived(data.look.live && data.mayDraft.includes('image.sheet'));
	// One sheet, seen as a list or as text: whichever is being changed is the truth, the other is made from it.
	let sheet: BuildSheet = $state.raw(untrack(() => data.report.sheet));
	let text = $state(untrack(() => data.report.text));
	let view: 'list' | 'text' = $state('list');
	let report: SheetReport = $state.raw(untrack(() => data.report));
	let wrong: TextProblem[] = $state.raw([]);
	let remarks: TextProblem[] = $state.raw([]);
	let errors: Record<string, string> = $state({});
	let said = $state('');

	let asked = 0;
	async function look(body: unknown) {
		const mine = ++asked;
		await new Promise((done) => setTimeout(done, 180));
		if (mine !== asked) return;
		const answer = await call<{ report?: SheetReport; remarks?: TextProblem[]; wrong?: TextProblem[] }>(
			'POST',
			`/sheets/${encodeURIComponent(data.line.id)}/check`,
			body
		);
		if (mine !== asked || !answer.ok) return;
		wrong = answer.value.wrong ?? [];
		remarks = answer.value.remarks ?? [];
		if (answer.value.report) {
			report = answer.value.report;
			if (view === 'text') sheet = report.sheet;
		}
	}
	function changeList(next: BuildSheet) {
		sheet = next;
		errors = {};
		text = writeSheet(next);
		void look({ limit: next.limit, builder: next.builder, steps: next.steps });
	}
	function changeText(next: string) {
		text = next;
		errors = {};
		void look({ text: next });
	}
	function show(next: 'list' | 'text') {
		if (next === 'list') {
			const read = readSheet(text);
			if ('problems' in read) {
				wrong = read.problems;
				said = 'The text cannot be read yet: it stays as text until it can.';
				return;
			}
			sheet = read.sheet;
		}
		said = '';
		view = next;
	}
	function reorder() {
		const { better } = report;
		if (!better) return;
		changeList({ ...sheet, steps: better.order.map((i) => sheet.steps[i]!) });
		said = `Put in order: ${better.words.join(', ')}`;
	}
	async function plan() {
		errors =
			view === 'text'
				? await draftFrom('image.sheet', { line: data.line.id, text })
				: await draftFrom('image.sheet', {
						line: data.line.id,
						limit: sheet.limit,
						builder: sheet.builder,
						steps: sheet.steps
					});
	}
	const order = $derived(report.problems.filter((p) => p.field === undefined || p.step < 0));
	const percent = (share: number) => (share > 0 && share < 0.005 ? 'under 1 %' : `${Math.round(share * 100)} %`);
</script>

<h1 class="sr-only">Build sheet of {data.line.name}</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	<div class="flex items-baseline gap-4">
		<h2 class="head">
			Build sheet of {data.line.name}
			<small
				>{data.line.users}-user, generation {data.line.generation}{may ? '; drag to reorder, or Alt ↑ ↓' : ''}</small
			>
		</h2>
		<div class="ml-auto flex gap-1 text-[13px]" role="group" aria-label="Show the sheet">
			<button
				class={['btn', view === 'list' && 'bg-seawash']}
				aria-pressed={view === 'list'}
				onclick={() => show('list')}>As a list</button
			>
			<button
				class={['btn', view === 'text' && 'bg-seawash']}
				aria-pressed={view === 'text'}
				onclick={() => show('text')}>As text</button
			>
		</div>
	</div>
	{#if view === 'list'}
		<SheetList {sheet} {report} supplies={data.supplies} {errors} readonly={!may} change={changeList} />
	{:else}
		<SheetText
			{text}
			problems={wrong}
			{remarks}
			{report}
			supplies={data.supplies}
			readonly={!may}
			change={changeText}
		/>
	{/if}

	<div class="border-hair bg-paper sticky bottom-0 mt-3 flex items-start gap-4 border-t py-2 text-[13px]">
		<div class="min-w-0 flex-1">
			<p class="text-ink2">
				{report.sheet.steps.length} steps, expected {durationWords(report.expected.middle)}, nine times in ten under {durationWords(
					report.expected.ninety
				)}; {percent(report.over)} chance to run past {durationWords(report.sheet.limit)}.
			</p>
			{#if order.length}
				<ul class="text-buoy" aria-label="Problems of the sheet">
					{#each order.slice(0, 4) as p, i (i)}<li>{p.fact.words}</li>{/each}
					{#if order.length > 4}<li>and {order.length - 4} more</li>{/if}
				</ul>
			{:else if wrong.length === 0}<p class="text-kelp">
					Its order is right, and source, builder and outcome agree.
				</p>{/if}
			{#if errors.form || errors.text}<p class="text-buoy" role="alert">{errors.form ?? errors.text}</p>{/if}
			<p class="text-ink2" role="status">{said}</p>
		</div>
		{#if may}
			{#if report.better && view === 'list'}<button class="btn" onclick={reorder}
					>Nearest right order: {report.better.words.length === 1
						? '1 move'
						: `${report.better.words.length} moves`}</button
				>{/if}
			<button class="btn btn-plain" onclick={() => arrive({ line: data.line.id }, {}, '/build')}
				>Leave it as it is</button
			>
			<button class="btn btn-go" onclick={plan} disabled={wrong.length > 0}>Plan this sheet</button>
		{/if}
	</div>
</div>
