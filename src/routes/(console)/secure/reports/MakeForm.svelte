<script lang="ts">
	import { untrack } from 'svelte';
	import { GROUPINGS, ROWS, type Grouping, type ReportColumn } from '$lib/core/reports/spec';
	import type { ReportTable as Made } from '$lib/core/reports/table';
	import Field from '$lib/ui/forms/Field.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { DAYS, LINES } from '$lib/ui/forms/measures';
	import OrderedChoice from '$lib/ui/forms/OrderedChoice.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import type { Unread } from '$lib/ui/forms/unread';
	import { call, refusalWords } from '$lib/ui/plan/api';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import ReportTable from './ReportTable.svelte';

	interface Source {
		name: string;
		words: string;
		overDays: boolean;
		asksWhy: boolean;
		columns: (ReportColumn & { words: string })[];
	}
	interface Kept {
		id: string;
		name: string;
		question: string;
		source: string;
		scope: string;
		days: number;
		zone: string;
		spec: {
			columns: string[];
			group: { column: string; by: Grouping } | null;
			chart: string | null;
			sort: string;
			descending: boolean;
			limit: number;
		};
	}
	interface Props {
		sources: Source[];
		/** One that there is; null: a new one. */
		report: Kept | null;
		/** What a new one begins with. */
		source: string;
		scope: string;
		zone: string;
		at: number;
		close: string;
	}
	let { sources, report, source, scope, zone, at, close }: Props = $props();

	const sourceOf = (name: string) => sources.find((s) => s.name === name);
	const wordsOf = (name: string, key: string) => sourceOf(name)?.columns.find((c) => c.key === key)?.words ?? key;
	const keyOf = (name: string, words: string) => sourceOf(name)?.columns.find((c) => c.words === words)?.key ?? words;
	/** What a new report has to begin with: what reads well. */
	const usual = (name: string) => {
		const all = sourceOf(name)?.columns ?? [];
		const named = new Set(all.map((c) => c.key));
		return all
			.filter((c) => c.kind !== 'list' && !named.has(`${c.key}Name`) && !['id', 'hash', 'login'].includes(c.key))
			.slice(0, 6);
	};
	const form = new PlanForm({
		kind: 'report.put',
		start: untrack(() => {
			const of = report?.source ?? source;
			return {
				name: report?.name ?? '',
				question: report?.question ?? '',
				source: of,
				scope: report?.scope ?? scope,
				days: (report?.days ?? 30) as number | Unread,
				columns: report ? report.spec.columns.map((c) => wordsOf(of, c)) : usual(of).map((c) => c.words),
				group: report?.spec.group?.column ?? '',
				by: (report?.spec.group?.by ?? 'value') as Grouping,
				chart: report?.spec.chart ?? '',
				sort: report?.spec.sort ?? '',
				descending: report?.spec.descending ?? true,
				limit: (report?.spec.limit ?? 1000) as number | Unread
			};
		}),
		input: (f) => ({
			...(report ? { id: report.id } : {}),
			name: f.name,
			question: f.question,
			source: f.source,
			scope: f.scope,
			days: f.days,
			columns: f.columns.map((c) => keyOf(f.source, c)),
			group: f.group ? { column: f.group, by: f.by } : null,
			chart: f.chart || null,
			sort: f.sort,
			descending: f.descending,
			limit: f.limit,
			zone: report?.zone ?? zone
		}),
		beside: (path) => (path.startsWith('columns') ? 'columns' : path === 'group.by' ? 'by' : path.split('.')[0]!),
		foresee: false,
		parts: { make: null, change: null, source: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const chosen = $derived(sourceOf(f.source));
	const moments = $derived((chosen?.columns ?? []).filter((c) => c.kind === 'moment').map((c) => c.key));
	const shown = $derived(
		f.group
			? [f.group, ROWS, ...f.columns.map((c) => keyOf(f.source, c)).filter((c) => c !== f.group)]
			: f.columns.map((c) => keyOf(f.source, c))
	);
	const drawable = $derived(
		shown.filter((k) => {
			const kind = k === ROWS ? 'number' : (chosen?.columns.find((c) => c.key === k)?.kind ?? 'text');
			return ['number', 'bytes', 'cents', 'span', 'share'].includes(kind);
		})
	);
	const called = (key: string) => (key === ROWS ? 'rows' : wordsOf(f.source, key));

	/** Another list has other columns. */
	function change(name: string) {
		f.source = name;
		f.columns = usual(name).map((c) => c.words);
		f.group = '';
		f.chart = '';
		f.sort = '';
	}
	function together(column: string) {
		f.group = column;
		f.by = moments.includes(column) ? (f.by === 'value' ? 'day' : f.by) : 'value';
		if (!shown.includes(f.sort)) f.sort = '';
		if (!drawable.includes(f.chart)) f.chart = '';
	}

	let tried: Made | null = $state(null);
	let not = $state('');
	let looking = $state(false);
	$effect(() => {
		const of = sourceOf(f.source);
		if (!of || of.asksWhy) {
			tried = null;
			not = '';
			return undefined;
		}
		const asked = new URLSearchParams({
			source: f.source,
			columns: f.columns.map((c) => keyOf(f.source, c)).join(','),
			group: f.group,
			by: f.by,
			chart: f.chart,
			sort: f.sort,
			descending: f.descending ? '1' : '0',
			scope: f.scope,
			at: String(at),
			zone: report?.zone ?? zone,
			...(typeof f.days === 'number' ? { days: String(f.days) } : {})
		});
		const off = new AbortController();
		const timer = setTimeout(() => {
			looking = true;
			void call<Made>('GET', `/report-preview?${asked}`, undefined, off.signal).then((answer) => {
				if (off.signal.aborted) return;
				looking = false;
				if (answer.ok) {
					tried = answer.value;
					not = '';
				} else not = answer.refusal.errors.map((e) => e.words).join(' ') || refusalWords(answer.refusal);
			});
		}, 450);
		return () => {
			clearTimeout(timer);
			off.abort();
		};
	});
</script>

<div class="grid gap-x-6 gap-y-4 min-[1180px]:grid-cols-[420px_minmax(0,1fr)]">
	<form class="grid grid-cols-2 content-start gap-x-4" onsubmit={form.submit} novalidate aria-label="A report">
		<div class="col-span-full">
			<TextField label="Question that it answers" problem={errors.question} bind:value={f.question} />
		</div>
		<TextField label="Name" problem={errors.name} bind:value={f.name} />
		<Field label="Made of" problem={errors.source}
			>{#snippet children(p)}<select
					{...p}
					class="field"
					value={f.source}
					onchange={(e) => change(e.currentTarget.value)}
					>{#each sources as s (s.name)}<option value={s.name}>{s.name.replaceAll('-', ' ')}</option>{/each}</select
				>{/snippet}</Field
		>
		<p class="text-ink2 col-span-full mb-2 text-[12.5px]">{chosen?.words ?? ''}</p>
		<TextField label="Of" hint="a scope" problem={errors.scope} bind:value={f.scope} placeholder="everything" />
		{#if chosen?.overDays}<MeasureField
				label="Over the last"
				measure={DAYS}
				problem={errors.days}
				bind:value={f.days}
			/>
		{:else}<span></span>{/if}
		<div class="col-span-full">
			<OrderedChoice
				label="Columns"
				choices={(chosen?.columns ?? []).map((c) => c.words)}
				none="none yet"
				problem={errors.columns}
				bind:value={f.columns}
			/>
		</div>
		<Field label="Put together by" problem={errors.group}
			>{#snippet children(p)}<select
					{...p}
					class="field"
					value={f.group}
					onchange={(e) => together(e.currentTarget.value)}
					><option value="">nothing: each row is a line</option
					>{#each (chosen?.columns ?? []).filter((c) => ['text', 'yes', 'moment'].includes(c.kind)) as c (c.key)}<option
							value={c.key}>{c.words}</option
						>{/each}</select
				>{/snippet}</Field
		>
		{#if moments.includes(f.group)}<Field label="As the clock shows" problem={errors.by}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.by}
						>{#each GROUPINGS.filter((g) => g !== 'value') as g (g)}<option value={g}>by {g}</option>{/each}</select
					>{/snippet}</Field
			>{:else}<span></span>{/if}
		<Field label="Drawn" problem={errors.chart}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.chart}
					><option value="">nothing</option>{#each drawable as k (k)}<option value={k}>{called(k)}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<Field label="Sorted by" problem={errors.sort}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.sort}
					><option value="">its usual order</option>{#each shown as k (k)}<option value={k}>{called(k)}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<MeasureField label="Lines at most" measure={LINES} problem={errors.limit} bind:value={f.limit} />
		<label class="mt-6 flex items-center gap-2 text-[13px]"
			><input type="checkbox" bind:checked={f.descending} disabled={!f.sort} />the most first</label
		>
		<div class="col-span-full">
			<FormEnd {form} words={report ? 'Plan the change' : 'Plan the report'} {close} foresee={false} />
		</div>
	</form>
	<section class="min-w-0" aria-label="How it would look" aria-busy={looking}>
		<h2 class="head">How it would look <small>the first lines, as things are now</small></h2>
		{#if chosen?.asksWhy}<p class="text-ink2 mt-1 max-w-[60ch] text-[13.5px]">
				This tells what single people reached. It is made saying why, on record, and is not shown before.
			</p>{:else}
			{#if not}<p class="text-buoy mt-1 text-[13px]" role="alert">{not}</p>{/if}
			{#if tried}<p class="text-ink2 text-[12.5px]">
					{tried.all.toLocaleString('en-GB')} lines of {tried.rows.toLocaleString('en-GB')} rows
				</p>
				<ReportTable made={tried} zone={report?.zone ?? zone} name="How it would look" />{/if}
		{/if}
	</section>
</div>
