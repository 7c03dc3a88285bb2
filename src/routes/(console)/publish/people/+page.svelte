<script lang="ts">
	import { page } from '$app/state';
	import { countWords, durationWords, numberWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import ListTabs from '$lib/ui/lists/ListTabs.svelte';
	import LongList from '$lib/ui/lists/LongList.svelte';
	import DaysLine from '$lib/ui/people/DaysLine.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import BringList from './BringList.svelte';
	import KeepForm from './KeepForm.svelte';
	import LeaveForm from './LeaveForm.svelte';
	import MoveForm from './MoveForm.svelte';
	import WelcomeForm from './WelcomeForm.svelte';
	import PersonForm from './PersonForm.svelte';

	let { data } = $props();
	const TABS = [
		['coming', 'Who begins, moves, ends'],
		['everybody', 'Everybody'],
		['desks', 'Machines kept for teams']
	] as const;
	type Row = { id: number } & Record<string, unknown>;
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const close = $derived(addressWith(page.url, { make: null, edit: null, people: null }));
	const wide = $derived(!(data.card || data.plan));
	const ALL = [
		{ key: 'name', words: 'person', width: 'minmax(150px,1fr)' },
		{ key: 'team', words: 'home team', width: 'minmax(130px,1fr)' },
		{ key: 'site', words: 'site', width: '100px' },
		{ key: 'employment', words: 'employment', width: '100px' },
		{ key: 'begins', words: 'begins', width: '96px' },
		{ key: 'ends', words: 'ends', width: '96px' },
		{ key: 'sessions', words: 'sessions', width: '76px', number: true },
		{ key: 'since', words: 'last sign-in', width: '110px', number: true }
	];
	const COLUMNS = $derived(wide ? ALL : ALL.filter((c) => !['employment', 'begins', 'ends'].includes(c.key)));
	const day = (v: unknown, zone: unknown, less = 0) =>
		typeof v === 'number' && v > 0 && v < Number.MAX_SAFE_INTEGER
			? new Date(v - less).toLocaleDateString('en-GB', {
					day: 'numeric',
					month: 'short',
					year: 'numeric',
					timeZone: String(zone)
				})
			: '–';
	const file = (kind: string) =>
		`/api/v1/directory.${kind}?${new URLSearchParams({ at: new Date(data.at).toISOString() })}`;
	const DESKS = $derived([
		{ key: 'name', words: 'person', width: 'minmax(140px,1fr)' },
		...(data.keeping && data.keeping.kept.length > 1
			? [{ key: 'poolName', words: 'pool', width: 'minmax(110px,.7fr)' }]
			: []),
		{ key: 'state', words: 'state', width: '104px' },
		{ key: 'machine', words: 'machine', width: '120px' },
		{ key: 'words', words: 'why', width: 'minmax(180px,1.6fr)', sort: false }
	]);
	const STATE = {
		ready: 'pill-kelp',
		'being made': 'pill-sand',
		wanted: 'pill-sand',
		failed: 'pill-buoy',
		'not wanted': ''
	};
	const PILL = { ready: 'pill-kelp', soon: 'pill-sand', missing: 'pill-buoy' };
	const opened = $state<Record<string, boolean>>({});
</script>

<svelte:head><title>People · Sextant</title></svelte:head>
<h1 class="sr-only">People</h1>
<div class="flex h-full min-h-0 flex-col px-[18px] py-3">
	<PublishNav />
	<div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
		<ListTabs label="People" tabs={TABS} current={data.list} />
		<p class="text-ink2 text-[13px]">
			{#if data.list === 'everybody'}<b class="text-ink">{numberWords(data.total)}</b>
				{data.total === 1 ? 'person' : 'people'} ·
			{/if}<b class="text-ink">{data.counts.begin}</b> begin,
			<b class="text-ink">{data.counts.move}</b>
			move, <b class="text-ink">{data.counts.end}</b> end in 30 days{#if data.counts.unready}<span class="ml-1"
					>· <b class="text-buoy">{data.counts.unready}</b> would find something missing</span
				>{/if}
		</p>
		<span class="ml-auto flex gap-2">
			{#if may('people.put')}<a
					class="btn"
					aria-label="Add somebody"
					href={addressWith(page.url, { make: 'person', edit: null })}>Add</a
				>{/if}
			{#if may('people.welcome')}<a
					class="btn"
					aria-label="Welcome somebody"
					href={addressWith(page.url, { make: 'welcome', people: null, edit: null })}>Welcome</a
				>{/if}
			{#if may('people.move')}<a
					class="btn"
					aria-label="Somebody moves"
					href={addressWith(page.url, { make: 'move', edit: null })}>Move</a
				>{/if}
			{#if may('people.leave')}<a
					class="btn"
					aria-label="Somebody leaves"
					href={addressWith(page.url, { make: 'leave', edit: null })}>Leave</a
				>{/if}
			{#if may('people.import')}<a class="btn" href={addressWith(page.url, { make: 'list', edit: null })}
					>Bring a list</a
				>{/if}
		</span>
	</div>
	<LeftOut left={data.left} of="people" />
	{#if data.look.future}<p class="text-ink2 mt-1 text-[13px]">The days ahead are as they are known now.</p>{/if}
	{#if data.choices && data.make && data.look.live}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Make">
			{#if data.make === 'list'}<BringList choices={data.choices} {close} />
			{:else if data.make === 'welcome' && data.welcome}{#key data.welcome.people
					.map((p) => p.login)
					.join()}<WelcomeForm welcome={data.welcome} teams={data.choices.teams} {close} />{/key}
			{:else if data.make === 'keep' && data.keeping}{#key data.editPool}<KeepForm
						pools={data.keeping.pools}
						publications={data.keeping.publications}
						teams={data.choices.teams}
						employments={data.choices.employments}
						kept={data.keeping.kept.find((k) => k.pool === data.editPool) ?? null}
						{close}
					/>{/key}
			{:else if data.make === 'move'}{#key data.mover?.login}<MoveForm
						sites={data.choices.sites}
						teams={data.choices.teams}
						pools={data.personalPools}
						mover={data.mover}
						now={data.look.known}
						{close}
					/>{/key}
			{:else if data.make === 'leave'}{#key data.leaver?.login}<LeaveForm
						sites={data.choices.sites}
						leaver={data.leaver}
						now={data.look.known}
						{close}
					/>{/key}
			{:else}{#key data.edit?.login}<PersonForm
						choices={data.choices}
						edit={data.edit}
						now={data.look.known}
						{close}
					/>{/key}{/if}
		</section>
	{/if}
	{#if data.list === 'everybody'}
		<p class="text-ink3 mt-1 flex gap-3 text-[13px]">
			<a class="link" href={file('csv')} download>as CSV</a><a class="link" href={file('ldif')} download>as LDIF</a>
		</p>
		<div class="mt-1 min-h-[240px] flex-1">
			{#key data.sort + data.look.scopeText}
				<LongList
					kind="people"
					columns={COLUMNS}
					first={data.rows}
					total={data.total}
					at={data.at}
					scope={data.look.scopeText}
					sort={data.sort}
					cardOf={(r) => `person/${r.login as string}`}
					cell={person}
				/>
			{/key}
		</div>
	{:else if data.list === 'desks' && data.keeping}
		<div class="mt-2 flex flex-wrap items-baseline gap-x-4 gap-y-1 text-[13px]">
			{#each data.keeping.kept as k (k.pool)}
				<span
					><b>{k.name}</b> for {k.for}{k.employment ? `, ${k.employment}s` : ''}{k.publication
						? `, who hold ${data.keeping.publications.find((p) => p.id === k.publication)?.name ?? k.publication}`
						: ''}
					{#if may('pool.keep-for')}<a
							class="link ml-1"
							href={addressWith(page.url, { make: 'keep', edit: k.pool })}
							aria-label="Change for whom {k.name} is kept">change</a
						>{/if}
					{#if may('pool.keep-no-more')}<PlanButton
							kind="pool.keep-no-more"
							input={{ pool: k.pool }}
							words="end"
							label="Keep {k.name} no longer"
							small
						/>{/if}</span
				>
			{:else}<span class="text-ink2"
					>No pool is kept for a team: whoever gets a machine of their own is given it by hand.</span
				>{/each}
			{#if may('pool.keep-for') && data.keeping.pools.length}<a
					class="btn ml-auto"
					href={addressWith(page.url, { make: 'keep', edit: null })}>Keep a pool for a team</a
				>{/if}
		</div>
		{#if data.desks.length}
			<div class="mt-2 min-h-[240px] flex-1">
				{#key data.sort + data.look.scopeText}
					<LongList
						kind="desks"
						columns={DESKS}
						first={data.desks}
						total={data.deskTotal}
						at={data.at}
						scope={data.look.scopeText}
						sort={data.sort}
						cardOf={(r) => `person/${r.person as string}`}
						cell={desk}
					/>
				{/key}
			</div>
		{/if}
	{:else}
		<h2 class="head mt-3">
			Days <small>above the line begins, below ends, on it moves; green and filled when ready, grey when past</small>
		</h2>
		<DaysLine marks={data.marks} at={data.at} around={data.around} zone={data.zone} />
		<h2 class="head mt-3">Next <small>what each will find that morning, and what is missing</small></h2>
		{#if data.groups.length}
			<table class="grid-table mt-1">
				<thead
					><tr
						><th>day</th><th>who</th><th>team, site</th><th>will have</th><th>ready</th><th
							><span class="sr-only">what mends it</span></th
						></tr
					></thead
				>
				<tbody>
					{#each data.groups as g (g.key)}
						{@const [first] = g.facts}
						<tr>
							<td class="whitespace-nowrap">{g.day}</td>
							<td>
								{#if g.people.length === 1}<a
										class="link"
										data-row
										href={addressWith(page.url, { card: `person/${g.people[0]!.login}` })}>{g.people[0]!.name}</a
									>
									{g.kind}
								{:else}<button
										class="font-semibold"
										aria-expanded={opened[g.key] ?? false}
										onclick={() => (opened[g.key] = !opened[g.key])}
										>{countWords(g.people.length, 'person', 'people')}</button
									>
									{g.kind === 'begins' ? 'begin' : g.kind === 'moves' ? 'move' : 'end'}
									{#if opened[g.key]}<ul class="mt-0.5 text-[12.5px]">
											{#each g.people as p (p.login)}<li>
													<a class="link" href={addressWith(page.url, { card: `person/${p.login}` })}>{p.name}</a>
												</li>{/each}
										</ul>{/if}
								{/if}
							</td>
							<td class="text-ink2"
								>{#if g.from}{`${g.from} → `}{/if}{[g.team, g.site].filter(Boolean).join(', ')}</td
							>
							<td class="text-ink2">{g.will}</td>
							<td
								><span class={['pill inline-block whitespace-normal', PILL[g.state]]}
									>{g.state === 'ready' ? 'ready' : (first?.words ?? 'something is missing')}</span
								>{#if g.state === 'ready' && g.facts.some((f) => f.source === 'sign-in')}<span
										class="text-ink3 ml-1 text-[12px]">second factor at first sign-in</span
									>{:else if g.facts.filter((f) => f.side === 'against').length > 1}<button
										class="text-ink3 hover:text-sea ml-1 text-[12px]"
										aria-expanded={opened[`why ${g.key}`] ?? false}
										onclick={() => (opened[`why ${g.key}`] = !opened[`why ${g.key}`])}
										>and {g.facts.filter((f) => f.side === 'against').length - 1} more</button
									>{#if opened[`why ${g.key}`]}<ul class="text-ink2 mt-0.5 text-[12.5px]">
											{#each g.facts.slice(1) as x, n (n)}<li class={x.side === 'against' ? 'text-buoy' : ''}>
													{x.words}
												</li>{/each}
										</ul>{/if}{/if}</td
							>
							<td class="num whitespace-nowrap"
								><span class="inline-flex gap-1.5"
									>{#if g.kind === 'begins' && may('people.welcome')}<a
											class="btn btn-small"
											href={addressWith(page.url, { make: 'welcome', people: g.people.map((p) => p.login).join(',') })}
											aria-label="Welcome {g.people.length === 1
												? g.people[0]!.name
												: countWords(g.people.length, 'person', 'people')}">Welcome</a
										>{/if}{#if g.kind === 'ends' && may('people.leave')}{#each g.people.slice(0, 1) as p (p.login)}<a
												class="btn btn-small"
												href={addressWith(page.url, { make: 'leave', edit: p.login })}
												aria-label="Arrange what {p.name} leaves">{g.arranged ? 'Change' : 'Arrange'}</a
											>{/each}{/if}{#each g.mends as m, i (i)}{#if m.kind === 'grow' && may('pool.grow')}<PlanButton
												kind="pool.grow"
												input={{ pool: m.pool, count: m.machines }}
												words="Plan +{m.machines}"
												label="Plan {m.machines} more in {m.name}"
												small
											/>{:else if m.kind === 'device' && may('endpoint.keep')}<PlanButton
												kind="endpoint.keep"
												input={{ give: m.give }}
												words="Keep {m.give.length === 1 ? 'an endpoint' : m.give.length}"
												label="Keep {countWords(m.give.length, 'endpoint')} for {g.people.length === 1
													? g.people[0]!.name
													: g.team}"
												small
											/>{/if}{/each}</span
								></td
							>
						</tr>
					{/each}
				</tbody>
			</table>
		{:else}<p class="text-ink2 mt-1 text-[13.5px]">
				Nobody of this scope begins, moves or ends within {durationWords(data.around)} of this moment, as far as it is known.
			</p>{/if}
	{/if}
</div>

{#snippet desk(r: { id: string } & Record<string, unknown>, key: string)}
	{#if key === 'name'}<a class="link" href={addressWith(page.url, { card: `person/${r.person as string}` })}>{r.name}</a
		>
	{:else if key === 'state'}<span class={['pill', STATE[r.state as keyof typeof STATE]]}>{r.state}</span>
	{:else if key === 'machine'}{#if r.machine}<a
				class="link"
				href={addressWith(page.url, { card: `machine/${r.machine as string}` })}>{r.machine}</a
			>{:else}–{/if}
	{:else}{r[key]}{/if}
{/snippet}

{#snippet person(r: Row, key: string)}
	{#if key === 'name'}<a class="link" href={addressWith(page.url, { card: `person/${r.login as string}` })}>{r.name}</a>
	{:else if key === 'site'}{r.siteName}
	{:else if key === 'begins' || key === 'ends'}{day(r[key], r.zone, key === 'ends' ? 1 : 0)}
	{:else if key === 'sessions'}{r.sessions}
	{:else if key === 'since'}{typeof r.lastSignIn === 'number'
			? durationWords(Math.max(0, data.at - r.lastSignIn))
			: 'never'}
	{:else}{r[key] ?? '–'}{/if}
{/snippet}
