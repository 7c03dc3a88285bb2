<script lang="ts">
	import { page } from '$app/state';
	import { CHECK_WORDS } from '$lib/core/diagnosis/checks';
	import { countWords, durationWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const wide = $derived(!(data.card || data.plan));
</script>

<h1 class="sr-only">Fix</h1>
<div class={['grid min-h-full', wide ? 'grid-cols-[minmax(0,1fr)_420px]' : 'grid-cols-1']}>
	<section class="px-[18px] py-3">
		{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">Checks have no forecast: this is the present.</p>{/if}
		<LeftOut left={data.left.machines} of="machines" />
		<h2 class="head">
			Checks along the way <small>from the person to the machine; run every 5 minutes on every machine that is up</small
			>
		</h2>
		<ol class="mt-1 flex flex-wrap gap-x-1 text-[13px]">
			{#each data.tally as t, i (t.name)}
				<li class="flex items-center gap-1">
					<span class={['pill', t.n ? 'pill-buoy font-semibold' : 'pill-kelp']}
						>{CHECK_WORDS[t.name].asks} {t.n ? `no on ${t.n}` : 'yes'}</span
					>{#if i < data.tally.length - 1}<span class="text-ink3" aria-hidden="true">→</span>{/if}
				</li>
			{/each}
		</ol>

		<h2 class="head mt-5">Unusable machines <small>the failing check, and since when</small></h2>
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>machine</th><th>failing check</th><th>what was seen</th><th class="num">for</th><th class="num"
						>sessions on it</th
					><th><span class="sr-only">actions</span></th></tr
				></thead
			>
			<tbody>
				{#each data.unusable as u (u.machine + u.name)}
					<tr>
						<td
							><a class="link" data-row href={addressWith(page.url, { card: `machine/${u.machine}` })}>{u.machine}</a
							></td
						>
						<td>{CHECK_WORDS[u.name].fails}</td>
						<td class="text-ink2">{u.saw}</td>
						<td class="num whitespace-nowrap">{durationWords(data.look.known - u.since)}</td>
						<td class="num">{u.sessions}</td>
						<td class="num"
							>{#if may('runbook.run')}<PlanButton
									kind="runbook.run"
									input={{ machine: u.machine, check: u.name }}
									words="Repair"
								/>{/if}</td
						>
					</tr>
				{:else}
					<tr
						><td colspan="6" class="text-ink2 py-3"
							>Every machine that is up in this scope is usable. One with a failing check would stand here, with its
							repair.</td
						></tr
					>
				{/each}
			</tbody>
		</table>
		{#each data.behindGateway as g (g.saw)}
			<p class="text-sand mt-2 text-[13px]">
				{countWords(g.machines, 'machine')} well in themselves, but {g.saw}, for {durationWords(
					data.look.known - g.since
				)}. The finding at the {wide ? 'right' : 'foot'} has the plan.
			</p>
		{/each}

		{#if data.person}
			<h2 class="head mt-6">
				Were {data.person} to open it {data.look.live ? 'now' : 'then'}
				<small>by the rules of the broker, from where they usually sit, with the second factor given</small>
			</h2>
			<table class="grid-table mt-1">
				<thead><tr><th>publication</th><th>what comes of it</th><th>because</th></tr></thead>
				<tbody>
					{#each data.tries as t (t.id)}
						<tr>
							<td class="whitespace-nowrap"
								><a class="link" data-row href={addressWith(page.url, { card: `publication/${t.id}` })}>{t.name}</a></td
							>
							<td><span class={['pill', t.outcome.good ? 'pill-kelp' : 'pill-buoy']}>{t.outcome.words}</span></td>
							<td class="text-ink2">{t.because.map((f) => f.words).join('; ')}</td>
						</tr>
					{:else}
						<tr
							><td colspan="3" class="text-ink2 py-3"
								>Nothing stands on their shelf. What is granted to them, or fetched by them, would stand here.</td
							></tr
						>
					{/each}
				</tbody>
			</table>
		{/if}

		<h2 class="head mt-6">
			{data.person ? `Record of ${data.person}’s connections` : 'Connections that came to nothing'}
			<small>{data.person ? 'newest first' : 'the last 24 hours; narrow to a person for their whole record'}</small>
		</h2>
		<LeftOut left={data.left.connections} of="connections" />
		<table class="grid-table mt-1">
			<thead
				><tr><th>when</th><th>person</th><th>publication</th><th>through</th><th>outcome</th><th>cause</th></tr></thead
			>
			<tbody>
				{#each data.connections as c (c.id)}
					<tr>
						<td class="whitespace-nowrap">{momentWords(data.zone, c.ended)}</td>
						<td><a class="link" href={addressWith(page.url, { scope: `person:${c.login}` })}>{c.person}</a></td>
						<td>{c.publication}</td>
						<td class="whitespace-nowrap">{c.gateway}, {c.protocol}</td>
						<td
							><span
								class={['pill', c.result === 'open' ? 'pill-kelp' : c.result === 'refused' ? 'pill-sand' : 'pill-buoy']}
								>{c.result}</span
							></td
						>
						<td class="text-ink2"
							>{c.cause.map((f) => f.words).join('; ')}{c.result === 'open'
								? `signed in within ${durationWords(c.took)}${c.machine ? ` on ${c.machine}` : ''}`
								: ''}</td
						>
					</tr>
				{:else}
					<tr
						><td colspan="6" class="text-ink2 py-3"
							>{data.narrowed
								? 'No connection in this scope came to nothing in the last 24 hours.'
								: 'Every connection of the last 24 hours was opened.'}</td
						></tr
					>
				{/each}
			</tbody>
		</table>
		{#if data.moreConnections}<p class="text-ink3 mt-1 text-[12.5px]">
				{countWords(data.moreConnections, 'older one is', 'older ones are')} not shown; narrow the scope to see them.
			</p>{/if}
	</section>
	<section class={['bg-sheet px-[18px] py-[14px]', wide && 'border-hair border-l']}>
		<h2 class="head">Findings <small>settings that do not agree, things that run out</small></h2>
		<LeftOut left={data.left.findings} of="findings" />
		{#each data.findings as f (f.key)}
			<article class="border-hair2 border-b py-2.5 text-[13px]">
				<h3 class="text-[13.5px]">
					{#if f.card}<a class="hover:text-sea" href={addressWith(page.url, { card: f.card })}>{f.title}</a
						>{:else}{f.title}{/if}
				</h3>
				<ul class="text-ink2 mt-0.5">
					{#each f.facts as fact, i (i)}<li>{fact.words}</li>{/each}
				</ul>
				<div class="mt-1.5 flex items-center gap-3">
					{#if f.breakdown}<a class="btn" href={f.breakdown}>Breakdown</a>{/if}
					{#if f.plan && may(f.plan.kind)}<PlanButton
							kind={f.plan.kind}
							input={f.plan.input}
							words={f.plan.words}
						/>{/if}
					<span class="text-ink3 text-[12.5px]"
						>{f.people ? `${countWords(f.people, 'person', 'people')} · ` : ''}since {momentWords(
							data.zone,
							f.since
						)}</span
					>
				</div>
			</article>
		{:else}<p class="text-ink2 mt-2 text-[13px]">Everything that must agree does.</p>{/each}
		<h2 class="head mt-5">Repairs <small>runbooks, newest first</small></h2>
		<ul class="mt-1 text-[13px]">
			{#each data.repairs as r (r.id)}
				<li class="border-hair2 border-b py-1.5">
					<a class="link" href="/jobs/{r.id}">{r.title}</a><br /><span class="text-ink2"
						>{r.state}{r.result['helped by'] ? `: helped by ${r.result['helped by']}` : ''}{r.error
							? `: ${r.error}`
							: ''}</span
					>
				</li>
			{:else}<li class="text-ink2 py-1.5">
					None yet. A repair tries the mildest remedy first and stops at the one that helps.
				</li>{/each}
		</ul>
	</section>
</div>
