<script lang="ts">
	import { page } from '$app/state';
	import { SvelteSet } from 'svelte/reactivity';
	import { AS_FOUND } from '$lib/core/images/versions';
	import { parseScope, scopeText, withFacet, type Facet } from '$lib/core/scope/scope';
	import { countWords, durationWords } from '$lib/core/time/units';
	import { HARD_PRESSED } from '$lib/core/watch/strain';
	import { addressWith } from '$lib/ui/frame/address';
	import LongList from '$lib/ui/lists/LongList.svelte';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	type Row = { id: number } & Record<string, unknown>;
	const picked = new SvelteSet<number>();
	const LISTS = ['machines', 'sessions', 'people', 'hosts'] as const;
	const COLUMNS = {
		machines: [
			{ key: 'name', words: 'machine', width: '112px' },
			{ key: 'state', words: 'state', width: '86px' },
			{ key: 'strain', words: 'strain', width: '96px' },
			{ key: 'sessions', words: 'sessions', width: '70px', number: true },
			{ key: 'pool', words: 'pool', width: 'minmax(110px,1fr)' },
			{ key: 'version', words: 'image', width: 'minmax(140px,1fr)' },
			{ key: 'host', words: 'host', width: '78px' },
			{ key: 'since', words: 'in this state for', width: '112px', number: true }
		],
		sessions: [
			{ key: 'person', words: 'person', width: 'minmax(130px,1.3fr)' },
			{ key: 'state', words: 'state', width: '100px' },
			{ key: 'signin', words: 'sign-in took', width: '96px', number: true },
			{ key: 'machine', words: 'machine', width: '104px' },
			{ key: 'pool', words: 'pool', width: 'minmax(110px,1fr)' },
			{ key: 'team', words: 'team', width: 'minmax(100px,0.9fr)' },
			{ key: 'gateway', words: 'through', width: '90px' },
			{ key: 'protocol', words: 'by', width: '92px' },
			{ key: 'since', words: 'for', width: '84px', number: true }
		],
		people: [
			{ key: 'name', words: 'person', width: 'minmax(150px,1fr)' },
			{ key: 'team', words: 'team', width: 'minmax(120px,1fr)' },
			{ key: 'site', words: 'site', width: '90px' },
			{ key: 'sessions', words: 'sessions', width: '76px', number: true },
			{ key: 'machine', words: 'on', width: '110px', sort: false },
			{ key: 'pattern', words: 'works', width: '80px', sort: false },
			{ key: 'since', words: 'last sign-in', width: '130px', number: true }
		],
		hosts: [
			{ key: 'name', words: 'host', width: '110px' },
			{ key: 'site', words: 'site', width: '100px' },
			{ key: 'cores', words: 'cores used', width: 'minmax(120px,1fr)' },
			{ key: 'memory', words: 'memory used', width: 'minmax(120px,1fr)' },
			{ key: 'gpu', words: 'GPUs used', width: '120px', sort: false },
			{ key: 'up', words: 'machines up', width: '110px', number: true },
			{ key: 'sessions', words: 'sessions', width: '90px', number: true }
		]
	};
	const cards = {
		machines: (r: Row) => `machine/${r.name as string}`,
		sessions: (r: Row) => `session/${r.id}`,
		people: (r: Row) => `person/${r.login as string}`,
		hosts: (r: Row) => `host/${r.name as string}`
	};
	/** Narrows by a value that was pressed. */
	const narrow = (facet: Facet, value: unknown) =>
		addressWith(page.url, { scope: scopeText(withFacet(parseScope(data.look.scopeText).scope, facet, String(value))) });
	/** The whole list as a file, with this scope, moment and order. */
	const csv = $derived(
		`/api/v1/${data.list}.csv?${new URLSearchParams({ scope: data.look.scopeText, at: String(data.at), sort: data.sort })}`
	);
	const percent = (v: unknown) =>
		v === null || v === undefined || (v as number) < 0 ? '–' : `${Math.round((v as number) * 100)} %`;
	const since = (v: unknown) => (typeof v === 'number' ? durationWords(Math.max(0, data.at - v)) : 'never');
	const chosen = $derived([...picked]);
	const names = $derived(data.rows.filter((r) => picked.has(r.id)).map((r) => r.name as string));
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
</script>

<h1 class="sr-only">Watch</h1>
<div class="flex h-full min-h-0 flex-col px-[18px] py-3">
	<div class="flex items-baseline gap-4">
		<nav class="flex gap-4" aria-label="Lists">
			{#each LISTS as l (l)}<a
					href={addressWith(page.url, { list: l, sort: null, card: null })}
					onclick={() => picked.clear()}
					aria-current={l === data.list ? 'page' : undefined}
					class={[
						'border-b-2 pb-0.5',
						l === data.list ? 'border-sea font-[650]' : 'text-ink2 hover:text-sea border-transparent'
					]}>{l}</a
				>{/each}
		</nav>
		<p class="text-ink3 text-[13px]">
			{countWords(data.total, data.list === 'people' ? 'person' : data.list.slice(0, -1), data.list)}{data.look.future
				? '; lists have no forecast, this is the present'
				: ''}
		</p>
		<LeftOut left={data.left} of={data.list} />
		<a class="link text-[13px]" href={csv} download>as CSV</a>
		{#if may('report.put')}<a
				class="link text-[13px]"
				href={addressWith(
					page.url,
					{ make: '1', source: data.list, list: null, sort: null, card: null },
					'/secure/reports'
				)}>as a report</a
			>{/if}
		<span class="ml-auto flex min-h-[30px] gap-2">
			{#if chosen.length && data.list === 'sessions'}
				{#if may('session.message')}<PlanButton
						kind="session.message"
						input={{ sessions: chosen }}
						words="Message {chosen.length}"
						ask={{ field: 'text', words: 'What they should read' }}
					/>{/if}
				{#if may('session.sign-out')}<PlanButton
						kind="session.sign-out"
						input={{ sessions: chosen }}
						words="Sign {chosen.length} out"
					/>{/if}
			{:else if names.length && data.list === 'machines'}
				{#if may('machine.start')}<PlanButton
						kind="machine.start"
						input={{ machines: names }}
						words="Start {names.length}"
					/><PlanButton kind="machine.restart" input={{ machines: names }} words="Restart {names.length}" /><PlanButton
						kind="machine.reset"
						input={{ machines: names }}
						words="Reset {names.length}"
					/>{/if}
			{/if}
		</span>
	</div>
	<div class="mt-1 min-h-0 flex-1">
		{#key data.list + data.sort + data.look.scopeText}
			<LongList
				kind={data.list}
				columns={COLUMNS[data.list]}
				first={data.rows}
				total={data.total}
				at={data.at}
				scope={data.look.scopeText}
				sort={data.sort}
				cardOf={cards[data.list]}
				cell={data.list === 'machines'
					? machine
					: data.list === 'sessions'
						? session
						: data.list === 'people'
							? person
							: host}
				picked={(data.list === 'machines' || data.list === 'sessions') && data.look.live ? picked : undefined}
			/>
		{/key}
		{#if data.total === 0}<p class="text-ink2 py-4">Nothing of this kind lies in the scope at this moment.</p>{/if}
	</div>
</div>

{#snippet open(href: string, words: unknown)}<a class="link" {href}>{words}</a>{/snippet}
{#snippet value(facet: Facet, v: unknown, words: unknown = v)}<a
		class="hover:text-sea hover:underline"
		href={narrow(facet, v)}
		title="narrow to {words}">{words}</a
	>{/snippet}
{#snippet level(v: number, words: string, hard: boolean)}
	<span class="flex items-center gap-1.5"
		><span class="bg-hair2 h-[7px] w-[54px] rounded-sm"
			><span class={['block h-[7px] rounded-sm', hard ? 'bg-sand' : 'bg-sea2']} style="width:{Math.min(100, v)}%"
			></span></span
		>{words}</span
	>
{/snippet}
{#snippet machine(r: Row, key: string)}
	{#if key === 'name'}{@render open(addressWith(page.url, { card: cards.machines(r) }), r.name)}
	{:else if key === 'state'}{#if r.failing && r.failing !== 'gateway'}<span class="text-buoy font-semibold"
				>{r.failing} fails</span
			>{:else}{@render value('state', r.state)}{/if}
	{:else if key === 'strain'}{#if r.strain === null}<span class="text-ink3">–</span>{:else}{@render level(
				r.strain as number,
				String(r.strain),
				(r.strain as number) >= HARD_PRESSED
			)}{/if}
	{:else if key === 'sessions'}{r.sessions}
	{:else if key === 'pool'}{@render value('pool', r.pool, r.poolName)}
	{:else if key === 'version'}{@render value('line', r.line)} {r.version === AS_FOUND ? 'as found' : r.version}
	{:else if key === 'host'}{@render value('host', r.host)}
	{:else}{since(r.stateSince)}{/if}
{/snippet}
{#snippet session(r: Row, key: string)}
	{#if key === 'person'}{@render open(addressWith(page.url, { card: cards.sessions(r) }), r.person)}
	{:else if key === 'signin'}<span class={(r.signIn as number) > 60_000 ? 'text-buoy font-semibold' : ''}
			>{durationWords(r.signIn as number)}</span
		>
	{:else if key === 'since'}{since(r.since)}
	{:else if key === 'state'}{r.state}
	{:else if key === 'pool'}{@render value('pool', r.pool, r.poolName)}
	{:else if key === 'team'}{@render value('team', r.team, r.teamName)}
	{:else}{@render value(key as Facet, r[key])}{/if}
{/snippet}
{#snippet person(r: Row, key: string)}
	{#if key === 'name'}{@render open(addressWith(page.url, { card: cards.people(r) }), r.name)}
	{:else if key === 'site'}{@render value('site', r.site, r.siteName)}
	{:else if key === 'since'}{r.lastSignIn ? `${since(r.lastSignIn)} ago` : 'never'}
	{:else if key === 'machine'}{#if r.machine}{@render open(
				addressWith(page.url, { card: `machine/${r.machine}` }),
				r.machine
			)}{:else}<span class="text-ink3">–</span>{/if}
	{:else}{r[key]}{/if}
{/snippet}
{#snippet host(r: Row, key: string)}
	{#if key === 'name'}{@render open(addressWith(page.url, { card: cards.hosts(r) }), r.name)}
	{:else if key === 'site'}{@render value('site', r.site, r.siteName)}
	{:else if key === 'cores'}{#if r.cores === null}<span class="text-buoy font-semibold">down</span
			>{:else}{@render level(
				(r.cores as number) * 100,
				`${percent(r.cores)} of ${r.coreCount}`,
				(r.cores as number) > 0.9
			)}{/if}
	{:else if key === 'memory'}{#if r.memory === null}–{:else}{@render level(
				(r.memory as number) * 100,
				`${percent(r.memory)} of ${Math.round((r.memorySize as number) / 1e9)} GB`,
				(r.memory as number) > 0.95
			)}{/if}
	{:else if key === 'gpu'}{r.gpuCount ? `${percent(r.gpu)} of ${r.gpuCount}` : 'none'}
	{:else if key === 'up'}{r.up} of {r.machines}
	{:else}{r[key]}{/if}
{/snippet}
