<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { toast } from 'svelte-sonner';
	import { durationWords } from '$lib/core/time/units';
	import { PROBLEMS } from '$lib/core/why/problems';
	import { clockWords, momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import { call, refusalWords } from '$lib/ui/plan/api';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	const job = $derived(data.job);
	const over = $derived(job.ended !== null);
	async function cancel() {
		const answer = await call('POST', `/jobs/${job.id}/cancel`);
		if (answer.ok) toast.success('It stops where that is safe.');
		else toast.error(answer.refusal.title, { description: refusalWords(answer.refusal) });
		await invalidateAll();
	}
	const tone = {
		queued: 'text-ink3',
		running: 'text-sea font-semibold',
		done: 'text-kelp',
		failed: 'text-buoy font-semibold',
		skipped: 'text-ink3'
	};
</script>

<div class="max-w-[980px] px-[18px] py-3">
	<p class="text-ink3 text-[13px]"><a class="link" href="/jobs">Jobs</a> · job {job.id}</p>
	<h1 class="text-[19px]">{job.title}</h1>
	<p class="text-ink2" role="status">
		{job.state}{job.state === 'running'
			? `, ${Math.round(job.progress * 100)} %${job.expectedEnd ? `, expected to end ${clockWords(data.zone, job.expectedEnd)}` : ''}`
			: ''}{job.state === 'waiting' ? ` until ${momentWords(data.zone, job.notBefore)}` : ''}{job.cancelling
			? ', stopping'
			: ''} · by {job.by}{job.began ? ` · begun ${momentWords(data.zone, job.began)}` : ''}{job.ended && job.began
			? ` · took ${durationWords(job.ended - job.began)}`
			: ''}
	</p>
	{#if !over}<div
			class="bg-hair2 mt-2 h-2 w-full rounded"
			role="progressbar"
			aria-valuenow={Math.round(job.progress * 100)}
			aria-valuemin="0"
			aria-valuemax="100"
			aria-label="Progress"
		>
			<span class="bg-sea block h-2 rounded" style="width:{job.progress * 100}%"></span>
		</div>{/if}
	{#if job.error || job.problem}<div class="bg-buoywash mt-2 rounded px-3 py-2">
			{#if job.error}<p class="text-buoy">{job.error}</p>{/if}
			{#if job.problem}{@const { title, safe, advice } = PROBLEMS[job.problem]}
				<p class="text-ink2 text-[13px]"><b class="font-[620]">{title}.</b> {safe} {advice}</p>{/if}
		</div>{/if}
	{#if Object.keys(job.result).length}<p class="text-ink2 mt-2">
			{Object.entries(job.result)
				.map(([k, v]) => `${k}: ${v}`)
				.join(' · ')}
		</p>{/if}
	<div class="mt-3 flex gap-2">
		{#if !over && data.mayCancel}<button class="btn" onclick={cancel} disabled={job.cancelling}
				>Cancel where safe</button
			>{/if}
		{#if data.undo && data.mayDraft.includes(data.undo.kind)}<PlanButton
				kind={data.undo.kind}
				input={data.undo.input}
				words="Plan the undo"
			/>{/if}
		<a class="btn" href="/plans/{job.planId}">The plan</a>
		{#if data.change}<a class="btn" href={addressWith(page.url, { card: `change/${data.change}` })}
				>Change {data.change}</a
			>{/if}
	</div>
	{#if over}<p class="text-ink3 mt-2 text-[13px]">Undo: {data.undoWords}</p>{/if}

	<h2 class="head mt-5">Steps</h2>
	<ol class="mt-1">
		{#each data.steps as s (s.n)}
			<li class="border-hair2 grid grid-cols-[24px_minmax(0,1fr)_130px_170px] gap-2 border-b py-1.5 text-[13.5px]">
				<span class="text-ink3">{s.n + 1}</span>
				<span
					>{s.words}{#if s.items.done || s.items.failed}<span class="text-ink3">
							· {s.items.done} done{s.items.failed ? `, ${s.items.failed} failed` : ''}</span
						>{/if}</span
				>
				<span class={tone[s.state]}>{s.state}</span>
				<span class="text-ink2 text-right"
					>{s.ended && s.began
						? `took ${durationWords(s.ended - s.began)}`
						: `about ${durationWords(s.expected)}`}</span
				>
			</li>
		{/each}
	</ol>
	{#if data.failed.length}
		<h2 class="head mt-5">Failed, one by one</h2>
		<ul class="mt-1 text-[13px]">
			{#each data.failed as f (f.item)}<li class="border-hair2 border-b py-1"><b>{f.item}</b>: {f.error}</li>{/each}
		</ul>
	{/if}
	<h2 class="head mt-5">Log</h2>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
	<div
		class="border-hair bg-sheet mt-1 max-h-[320px] overflow-auto rounded-md border p-2 font-mono text-[12.5px]"
		tabindex="0"
		role="log"
		aria-label="Log"
	>
		{#each data.log as l (l.id)}<div>
				<span class="text-ink3">{clockWords(data.zone, l.at)} {l.n + 1}</span>
				{l.line}
			</div>{:else}<span class="text-ink3">Nothing yet.</span>{/each}
	</div>
</div>
