<script lang="ts">
	import { page } from '$app/state';
	import { columnWords } from '$lib/core/reports/spec';
	import { countWords, numberWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import SecureNav from '$lib/ui/secure/SecureNav.svelte';
	import ComesForm from './ComesForm.svelte';
	import MakeForm from './MakeForm.svelte';
	import ReportTable from './ReportTable.svelte';
	import RunForm from './RunForm.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const q = $derived(page.url.searchParams);
	const making = $derived(may('report.put') && q.get('make') !== null);
	const source = $derived(data.sources.some((s) => s.name === q.get('source')) ? q.get('source')! : 'sessions');
	const changing = $derived(may('report.put') && q.get('change') !== null && data.report !== null);
	const file = (id: number, kind: 'csv' | 'pdf') => `/api/v1/report-runs/${id}/made.${kind}`;
	const all = $derived(addressWith(page.url, { report: null, run: null, make: null, change: null, source: null }));
	const one = (id: string) => addressWith(page.url, { report: id, run: null, make: null, change: null, source: null });
</script>

<svelte:head><title>Reports · Sextant</title></svelte:head>
<h1 class="sr-only">Reports</h1>
<div class="px-[18px] py-3">
	<SecureNav />
	{#if making}
		<div class="flex flex-wrap items-baseline gap-x-4">
			<h2 class="head">A new report <small>any list, under a scope, as columns, groups and a chart</small></h2>
			<a class="link ml-auto text-[13px]" href={all}>All reports</a>
		</div>
		{#key source}<MakeForm
				sources={data.sources}
				report={null}
				{source}
				scope={data.look.scopeText}
				zone={data.homeZone}
				at={data.at}
				close={all}
			/>{/key}
	{:else if data.report}
		{@const r = data.report}
		<div class="flex flex-wrap items-baseline gap-x-4">
			<h2 class="head">{r.name} <small>{r.ships ? 'ships with Sextant' : `kept by ${r.by}`}</small></h2>
			<span class="ml-auto flex items-baseline gap-4 text-[13px]">
				{#if may('report.put') && r.readable && !changing}<a class="link" href={addressWith(page.url, { change: '1' })}
						>{r.ships ? 'Keep it otherwise' : 'Change it'}</a
					>{/if}
				{#if may('report.remove') && !r.ships}<PlanButton
						small
						kind="report.remove"
						input={{ report: r.id }}
						words="Take it away"
					/>{/if}
				<a class="link" href={all}>All reports</a>
			</span>
		</div>
		{#if changing}
			{#key r.id}<MakeForm
					sources={data.sources}
					report={r}
					source={r.source}
					scope={r.scope}
					zone={r.zone}
					at={data.at}
					close={addressWith(page.url, { change: null })}
				/>{/key}
		{:else}
			<div class="@container">
				<div class="grid gap-x-6 @min-[980px]:grid-cols-[minmax(0,1fr)_320px]">
					<div class="min-w-0">
						<p class="text-[15px] font-[620]">{r.question}</p>
						<p class="text-ink2 text-[12.5px]">
							{r.made}; of {data.run?.scope || r.scope || 'everything'}{r.overDays
								? `; over the last ${countWords(r.days, 'day')}`
								: ''}{r.spec.group ? `; by ${columnWords(r.spec.group.column)}` : ''}
						</p>
						{#if data.run}
							<p class="mt-3 text-[13px]">
								Made {momentWords(data.run.zone, data.run.at)} by {data.run.by}:
								<b class="font-[650]">{countWords(data.run.made.all, 'line')}</b>
								of {countWords(data.run.rows, 'row')}{data.run.lines > data.run.shown
									? `, the first ${numberWords(data.run.shown)} here`
									: data.run.made.all > data.run.lines
										? `, the first ${numberWords(data.run.lines)} kept`
										: ''}
								<span class="ml-2"
									><a class="link" href={file(data.run.id, 'pdf')} download>as PDF</a>
									<a class="link ml-2" href={file(data.run.id, 'csv')} download>as CSV</a></span
								>
							</p>
							{#if data.run.why}<p class="text-ink2 text-[12.5px]">On record: “{data.run.why}”</p>{/if}
							{#if data.run.made.left.length}<p class="text-ink2 text-[12.5px]">
									Left out, since it says nothing of these: {data.run.made.left.join(', ')}
								</p>{/if}
							<ReportTable made={data.run.made} zone={data.run.zone} name={r.name} />
						{:else if !r.readable}<p class="text-ink2 mt-3 text-[13.5px]">
								Your role may not read what it is made of.
							</p>{:else if r.runs.length}<p class="text-ink2 mt-3 max-w-[60ch] text-[13.5px]">
								It tells what single people reached: that you open one stays on record. Choose one at the right.
							</p>{:else}<p class="text-ink2 mt-3 text-[13.5px]">
								It has not been made yet{may('report.run') ? ': make it at the right' : ''}.
							</p>{/if}
					</div>
					<aside class="mt-2 flex min-w-0 flex-col gap-5" aria-label="Make it">
						{#if may('report.run') && r.readable}<section aria-label="Make it now">
								<h2 class="head">Make it now <small>of how things are</small></h2>
								{#key r.id}<RunForm report={r.id} asksWhy={r.asksWhy} />{/key}
							</section>{/if}
						<section aria-label="Made so far">
							<h2 class="head">Made so far <small>the latest first</small></h2>
							<ul class="mt-1 text-[13px]">
								{#each r.runs as run (run.id)}<li
										class="border-hair flex flex-wrap items-baseline gap-x-3 border-b py-[5px]"
									>
										<a
											class="link"
											href={addressWith(page.url, { run: run.id })}
											aria-current={data.run?.id === run.id ? 'true' : undefined}>{momentWords(run.zone, run.at)}</a
										>
										<span class="text-ink2">{countWords(run.lines, 'line')}</span>
										{#if r.readable}<span class="ml-auto"
												><a class="link" href={file(run.id, 'pdf')} download>PDF</a>
												<a class="link ml-1.5" href={file(run.id, 'csv')} download>CSV</a></span
											>{/if}
										<span class="text-ink2 basis-full text-[12.5px]"
											>{run.by}{run.scope === r.scope ? '' : `, of ${run.scope || 'everything'}`}</span
										>
									</li>{:else}<li class="text-ink2 py-2">Nothing yet.</li>{/each}
							</ul>
						</section>
						<section aria-label="Again and again">
							<h2 class="head">Again and again</h2>
							{#if r.comes}<p class="mt-1 text-[13px]">
									{r.comes.words}, set by {r.comes.by}{r.comes.next === null
										? ''
										: `; next ${momentWords(r.comes.zone, r.comes.next)}`}
								</p>
								{#if may('report.unschedule')}<p class="mt-1">
										<PlanButton kind="report.unschedule" input={{ report: r.id }} words="No longer by itself" />
									</p>{/if}
							{:else if may('report.schedule') && r.readable}{#key r.id}<ComesForm
										report={r.id}
										asksWhy={r.asksWhy}
										zone={r.zone}
										now={data.look.known}
									/>{/key}
							{:else}<p class="text-ink2 mt-1 text-[13px]">It is not made by itself.</p>{/if}
						</section>
					</aside>
				</div>
			</div>
		{/if}
	{:else}
		<div class="flex flex-wrap items-baseline gap-x-4">
			<h2 class="head">Reports <small>a question, and the list that answers it, as a file</small></h2>
			{#if may('report.put')}<a class="btn btn-go ml-auto" href={addressWith(page.url, { make: '1' })}>New report</a
				>{/if}
		</div>
		{#if data.left.length}<p class="text-ink2 text-[12.5px]">
				Reports are not narrowed by {data.left.join(', ')}: a new one begins with it.
			</p>{/if}
		<ul class="mt-1" aria-label="Reports">
			{#each data.reports as r (r.id)}
				<li
					class="border-hair grid grid-cols-[minmax(0,1fr)_minmax(180px,260px)_120px] items-baseline gap-x-4 border-b py-[7px] text-[13.5px]"
				>
					<span class="min-w-0"
						><a class="link font-[620]" href={one(r.id)}>{r.name}</a>
						{#if r.ships}<span class="text-ink2 ml-2 text-[12.5px]">ships</span>{/if}
						<span class="text-ink2 block text-[12.5px]">{r.question}</span></span
					>
					<span class="text-ink2 text-[12.5px]"
						>{r.last ? `made ${momentWords(r.zone, r.last.at)}, ${countWords(r.last.lines, 'line')}` : 'not made yet'}
						{#if r.comes}<span class="block">{r.comes}</span>{/if}</span
					>
					<span class="text-right text-[13px]"
						>{#if r.last}<a class="link" href={file(r.last.id, 'pdf')} download aria-label="{r.name} as PDF">PDF</a>
							<a class="link ml-2" href={file(r.last.id, 'csv')} download aria-label="{r.name} as CSV">CSV</a
							>{/if}</span
					>
				</li>
			{/each}
		</ul>
	{/if}
</div>
