<script lang="ts">
	import { page } from '$app/state';
	import { countWords, durationWords, moneyWords, sizeWords } from '$lib/core/time/units';
	import Why from '$lib/ui/why/Why.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import type { Plan } from './api';

	interface Props {
		plan: Plan;
		zone: string;
	}
	let { plan, zone }: Props = $props();
	const e = $derived(plan.effects);
	let all = $state(false);
	const people = $derived(all ? e.people : e.people.slice(0, 12));
	const command = $derived(
		`curl -X POST $SEXTANT/api/v1/plans \\\n  -H "Authorization: Bearer $TOKEN" \\\n  -H "Content-Type: application/json" \\\n  -d '${JSON.stringify({ kind: plan.kind, input: plan.input })}'\ncurl -X POST $SEXTANT/api/v1/plans/${plan.id}/commit -H "Authorization: Bearer $TOKEN"`
	);
</script>

{#if plan.refused}
	<div class="border-buoy bg-buoywash mb-3 rounded-md border px-3 py-2" role="alert">
		<h3 class="head text-buoy">It was refused at commit: things have changed</h3>
		<Why facts={plan.refused} {zone} />
	</div>
{/if}
{#if plan.blocks.length}
	<div class="border-buoy bg-buoywash mb-3 rounded-md border px-3 py-2">
		<h3 class="head text-buoy">It cannot be committed</h3>
		<Why facts={plan.blocks} {zone} />
	</div>
{/if}
{#if plan.warnings.length}
	<div class="bg-sandwash mb-3 rounded-md px-3 py-2">
		<h3 class="head text-sand">Know before you commit</h3>
		<Why facts={plan.warnings} {zone} />
	</div>
{/if}
<table class="grid-table">
	<tbody>
		<tr
			><td class="text-ink2 whitespace-nowrap">people affected</td><td class="num font-semibold"
				>{e.people.length.toLocaleString('en-GB')}</td
			></tr
		>
		<tr
			><td class="text-ink2 whitespace-nowrap">sessions ended</td><td class="num font-semibold"
				>{e.sessionsEnded.length.toLocaleString('en-GB')}</td
			></tr
		>
		<tr
			><td class="text-ink2 whitespace-nowrap">machines touched</td><td class="num font-semibold"
				>{e.machines.length.toLocaleString('en-GB')}</td
			></tr
		>
		{#if e.endpoints?.length}<tr
				><td class="text-ink2 whitespace-nowrap">endpoints touched</td><td class="num font-semibold"
					>{e.endpoints.length.toLocaleString('en-GB')}</td
				></tr
			>{/if}
		<tr
			><td class="text-ink2 whitespace-nowrap">moved</td><td class="num">{e.bytes ? sizeWords(e.bytes) : 'nothing'}</td
			></tr
		>
		<tr
			><td class="text-ink2 whitespace-nowrap">takes</td><td class="num"
				>about {durationWords(e.duration.middle)}, nine in ten under {durationWords(e.duration.ninety)}</td
			></tr
		>
		<tr
			><td class="text-ink2 whitespace-nowrap">cost a month</td><td class="num"
				>{e.cost ? `${moneyWords(e.cost.before)} → ${moneyWords(e.cost.after)}` : 'as before'}</td
			></tr
		>
		<tr><td class="text-ink2 whitespace-nowrap">can be undone</td><td class="num">{plan.undoWords}</td></tr>
	</tbody>
</table>
{#if e.people.length}
	<h3 class="head mt-4">Who <small>{countWords(e.people.length, 'person', 'people')}</small></h3>
	<ul class="mt-1 text-[13px]">
		{#each people as p, i (i)}
			<li class="border-hair2 flex justify-between gap-3 border-b py-0.5">
				<a class="link" href={addressWith(page.url, { card: `person/${p.id}` })}>{p.name ?? p.id}</a><span
					class="text-ink2 text-right">{p.how ?? ''}</span
				>
			</li>
		{/each}
	</ul>
	{#if e.people.length > people.length}<button class="btn btn-plain mt-1" onclick={() => (all = true)}
			>all {e.people.length}</button
		>{/if}
{/if}
{#if e.machines.length}
	<h3 class="head mt-4">Machines <small>{countWords(e.machines.length, 'machine')}</small></h3>
	<p class="text-ink2 mt-1 text-[13px]">
		{e.machines
			.slice(0, 24)
			.map((m) => m.name ?? m.id)
			.join(', ')}{e.machines.length > 24 ? ` and ${e.machines.length - 24} more` : ''}
	</p>
{/if}
{#if e.endpoints?.length}
	<h3 class="head mt-4">Endpoints <small>{countWords(e.endpoints.length, 'endpoint')}</small></h3>
	<ul class="mt-1 text-[13px]">
		{#each e.endpoints.slice(0, 24) as d (d.id)}
			<li class="border-hair2 flex justify-between gap-3 border-b py-0.5">
				<a class="link" href={addressWith(page.url, { card: `endpoint/${d.id}` })}>{d.name ?? d.id}</a><span
					class="text-ink2 text-right">{d.how ?? ''}</span
				>
			</li>
		{/each}
	</ul>
	{#if e.endpoints.length > 24}<p class="text-ink2 text-[13px]">and {e.endpoints.length - 24} more</p>{/if}
{/if}
<h3 class="head mt-4">Steps</h3>
<ol class="text-ink2 mt-1 text-[13px]">
	{#each plan.steps as s, i (i)}
		<li class="border-hair2 flex justify-between border-b py-0.5">
			<span>{i + 1}. {s.words}</span><span class="text-ink3">{durationWords(s.expected)}</span>
		</li>
	{/each}
</ol>
<h3 class="head mt-4">Why these figures</h3>
<div class="mt-1"><Why facts={plan.reasons} {zone} /></div>
<details class="mt-4 text-[13px]">
	<summary class="text-sea">As an API call</summary>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex -->
	<pre
		class="border-hair bg-paper mt-1 overflow-x-auto rounded-md border p-2 font-mono text-[12px]"
		tabindex="0">{command}</pre>
</details>
