<script lang="ts">
	import { page } from '$app/state';
	import { numberWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import ListTabs from '$lib/ui/lists/ListTabs.svelte';
	import SecureNav from '$lib/ui/secure/SecureNav.svelte';
	import type { Plan } from '$lib/ui/plan/api';
	import BringForm from './BringForm.svelte';
	import DraftChanges from './DraftChanges.svelte';
	import { Drafting, seenAt } from './drafting.svelte';
	import Reachers from './Reachers.svelte';
	import GatewayForm from './GatewayForm.svelte';
	import NeedsForm from './NeedsForm.svelte';
	import RuleForm from './RuleForm.svelte';
	import RuleList from './RuleList.svelte';
	import ServiceForm from './ServiceForm.svelte';
	import TestForm from './TestForm.svelte';
	import Tester from './Tester.svelte';

	let { data } = $props();
	const TABS = [
		['rules', 'In order'],
		['tests', 'Tests'],
		['services', 'Private services'],
		['categories', 'Site categories'],
		['people', 'Who reaches it']
	] as const;
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const close = $derived(addressWith(page.url, { make: null }));
	const file = $derived(`/api/v1/access-rules-file${data.look.live ? '' : `?at=${new Date(data.at).toISOString()}`}`);
	const broken = $derived(data.tests.filter((t) => !t.holds).length);
	const tests = $derived(data.drafted?.tests ?? data.tests);
	const MAKES: Record<string, string> = { service: 'Service', gateway: 'Gateway', needs: 'Needs' };
	const makes = $derived(MAKES[data.make ?? '']);
	const drafting = new Drafting(() => (page.data.plan as Plan | null | undefined) ?? null);
	/** The draft that is open is a file, which edits do not go into. */
	const fromFile = $derived(data.drafted !== null && drafting.plan === null);
</script>

<svelte:head><title>Access rules · Sextant</title></svelte:head>
<h1 class="sr-only">Access rules</h1>
<div class="px-[18px] py-3">
	<SecureNav />
	<LeftOut left={data.left} of="access rules" />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">
			Access rules have no forecast: these are those of the present.
		</p>{/if}
	<div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
		<ListTabs label="Access rules" tabs={TABS} current={data.list} />
		<p class="text-ink2 text-[13px]">
			{#if data.list === 'rules'}the first that fits decides; bars: decisions of the last 30 days, refused ones in
				orange{:else if data.list === 'tests'}each has to hold for everybody it names, in all circumstances that it
				leaves open{/if}
		</p>
		<span class="ml-auto flex gap-2">
			{#if data.list === 'rules' || data.list === 'tests'}
				{#if data.list === 'rules' && may('access-rules.change') && !fromFile && !data.draftWrong}<a
						class="btn btn-go"
						href={addressWith(page.url, { make: 'rule', rule: null })}>Add a rule</a
					>{/if}
				{#if data.list === 'tests' && may('access-rules.change') && !fromFile && !data.draftWrong}<a
						class="btn btn-go"
						href={addressWith(page.url, { make: 'test' })}>Add a test</a
					>{/if}
				<a class="btn" href={file} download>As a file</a>
				{#if may('access-rules.bring')}<a class="btn" href={addressWith(page.url, { make: 'bring' })}>Bring a file</a
					>{/if}
			{:else if data.list === 'services'}
				{#if may('private-service.put')}<a
						class="btn btn-go"
						href={addressWith(page.url, { make: 'service', edit: null })}>Add a service</a
					>{/if}
				{#if may('publication.relies-on')}<a class="btn" href={addressWith(page.url, { make: 'needs', edit: null })}
						>What desktops need</a
					>{/if}
				{#if may('inner-gateway.put')}<a class="btn" href={addressWith(page.url, { make: 'gateway', edit: null })}
						>Add an inner gateway</a
					>{/if}
			{:else if data.list === 'categories' && may('site-categories.bring')}
				<a class="btn" href={addressWith(page.url, { make: 'bring' })}>Bring a table</a>
			{/if}
		</span>
	</div>
	{#if data.make === 'bring' && data.list !== 'services' && data.list !== 'people'}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Bring">
			{#key data.list}<BringForm what={data.list === 'categories' ? 'categories' : 'rules'} {close} />{/key}
		</section>
	{/if}
	{#if data.list === 'services' && makes}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label={makes}>
			{#key `${data.make} ${data.editing}`}{#if data.make === 'service'}<ServiceForm
						edited={data.services.find((s) => s.id === data.editing) ?? null}
						gateways={data.gateways}
						groups={[...new Set(data.services.flatMap((s) => s.group ?? []))]}
						close={addressWith(page.url, { make: null, edit: null })}
					/>{:else if data.make === 'needs'}<NeedsForm
						publication={data.editing ?? ''}
						publications={data.publications}
						services={data.services}
						relied={data.relied}
						close={addressWith(page.url, { make: null, edit: null })}
					/>{:else}<GatewayForm
						edited={data.gateways.find((g) => g.id === data.editing) ?? null}
						sites={data.sites}
						close={addressWith(page.url, { make: null, edit: null })}
					/>{/if}{/key}
		</section>
	{/if}
	{#if data.list === 'rules'}
		{#if data.draftWrong}<p class="text-buoy mt-2 text-[13px]">
				The draft does not go with the rules as they are now: {data.draftWrong} Discard it, or change it by program.
			</p>{/if}
		{#if broken}<p class="text-buoy mt-2 text-[13px]">
				{broken === 1 ? 'One test does' : `${broken} tests do`} not hold:
				<a class="link" href={addressWith(page.url, { list: 'tests' })}>see which</a>
			</p>{/if}
		{#if data.contradictions.length}<ul class="text-sand mt-2 text-[13px]" aria-label="Grants that rules contradict">
				{#each data.contradictions as c (`${c.publication} ${c.service}`)}<li>
						{c.words}.
						<a class="link" href={seenAt(page.url, c.tries)} aria-label="See it: {c.words}">see</a>
					</li>{/each}
			</ul>{/if}
		<div class="@container">
			<div class="grid gap-x-6 @min-[980px]:grid-cols-[minmax(0,1fr)_400px]">
				<div>
					<RuleList
						rules={data.drafted?.rules ?? data.rules}
						otherwise={data.drafted?.otherwise ?? data.otherwise}
						otherwiseWas={data.drafted ? data.drafted.otherwiseWas : null}
						{drafting}
						may={may('access-rules.change') && !fromFile && !data.draftWrong}
						open={data.edited?.written.id ?? null}
						hits={data.hits}
						unused={data.unused}
					/>
					{#if data.rules.length === 0 && !data.drafted}<p class="text-ink2 mt-2 max-w-[70ch] text-[13.5px]">
							No access rule yet: what stands above decides for everybody. Add one, or bring a file; each change says
							who gains and who loses before it is saved.
						</p>{/if}
				</div>
				<aside class="mt-2 flex flex-col gap-5" aria-label="Draft and tester">
					{#if data.pickables && (data.edited || data.make === 'rule')}
						{#key data.edited?.written.id}<RuleForm
								edited={data.edited}
								number={(data.drafted?.rules ?? data.rules).find((r) => r.id === data.edited?.written.id)?.number ??
									null}
								rules={data.drafted?.rules ?? data.rules}
								pickables={data.pickables}
								{drafting}
								close={addressWith(page.url, { rule: null, make: null })}
							/>{/key}
					{/if}
					{#if data.drafted}<DraftChanges drafted={data.drafted} {drafting} />{/if}
					{#if data.narrower.length && !data.edited && data.make !== 'rule'}<section aria-label="Narrower would do">
							<h2 class="head">Narrower would do <small>by what was used in 30 days</small></h2>
							<ul class="mt-1 text-[13.5px]">
								{#each data.narrower.slice(0, 4) as n (n.id)}<li class="border-hair border-b py-[7px]">
										<p><b class="font-[650]">Rule {n.number}</b> {n.words}.</p>
										{#if may('access-rules.change') && !fromFile && !data.draftWrong}<button
												class="btn btn-small mt-1"
												aria-label="Draft rule {n.number} so"
												disabled={drafting.busy}
												onclick={() => drafting.draft({ edits: [{ put: n.put }] })}>Draft it so</button
											>{/if}
									</li>{/each}
							</ul>
						</section>{/if}
					<div>
						<Tester
							tried={data.tried}
							services={data.services}
							pools={data.pools}
							branches={data.branches}
							zone={data.zone}
						/>
					</div>
				</aside>
			</div>
		</div>
	{:else if data.list === 'tests'}
		{#if data.make === 'test' && data.pickables}
			<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="A new test">
				<TestForm
					tests={tests.map((t) => t.written)}
					pickables={data.pickables}
					{drafting}
					close={addressWith(page.url, { make: null })}
				/>
			</section>
		{/if}
		{#if data.drafted}<p class="text-plum mt-2 text-[13px]">
				These are the tests as the draft has them, tried on its rules.
			</p>{/if}
		<ul class="mt-2" aria-label="Tests of the rules">
			{#each tests as t, i (t.name)}
				<li class="border-hair flex items-baseline gap-3 border-b py-[7px] text-[13.5px]">
					<p class="min-w-0 flex-1">
						<b class={['font-[650]', t.holds ? 'text-kelp' : 'text-buoy']}>{t.holds ? 'holds' : 'fails'}</b>
						{t.name}
						<span class="text-ink2 text-[12.5px]">· {t.words}</span>
						{#if t.tries}<a
								class="link text-[12.5px]"
								href={seenAt(new URL(addressWith(page.url, { list: null }), page.url), t.tries)}
								aria-label="See it: {t.name}">see</a
							>{/if}
					</p>
					{#if may('access-rules.change') && !fromFile && !data.draftWrong}<button
							class="btn btn-small"
							aria-label="Leave the test out: {t.name}"
							disabled={drafting.busy}
							onclick={() => drafting.draft({ tests: tests.toSpliced(i, 1).map((o) => o.written) })}>leave out</button
						>{/if}
				</li>
			{:else}<li class="text-ink2 text-[13.5px]">
					No test yet. A test is a sentence such as “Charts reaches the archive from the office”; a draft that breaks
					one is blocked.
				</li>{/each}
		</ul>
	{:else if data.list === 'services'}
		<table class="grid-table mt-2">
			<caption class="sr-only">Private services</caption>
			<thead
				><tr
					><th>service</th><th>group</th><th>hosts</th><th>ports</th><th>behind</th><th>now</th><th class="num"
						>rules by name</th
					></tr
				></thead
			>
			<tbody>
				{#each data.services as s (s.id)}
					<tr
						><td
							><a class="link font-[620]" href={addressWith(page.url, { card: `private-service/${s.id}` })}>{s.name}</a
							></td
						><td class="text-ink2">{s.group ?? '–'}</td><td>{s.hosts.join(', ')}</td><td
							>{s.protocol} {s.ports.join(', ')}</td
						><td
							>{#if s.gateway}<a class="link" href={addressWith(page.url, { card: `inner-gateway/${s.gateway}` })}
									>{s.gatewayName}</a
								>{:else}–{/if}</td
						><td
							>{#if s.state === 'shut'}<span class="pill pill-buoy">cannot be reached</span
								>{:else if s.state === 'reached'}answers{s.ms === null ? '' : `, ${s.ms} ms`}{:else}<span
									class="text-ink2">not asked</span
								>{/if}</td
						><td class="num">{s.rules}</td></tr
					>
				{:else}<tr
						><td colspan="7" class="text-ink2 py-4"
							>No private service yet: what people reach inside by host and port, such as a data base.</td
						></tr
					>{/each}
			</tbody>
		</table>
		<h2 class="head mt-5">
			Inner gateways <small>each stands beside private services, and is asked again and again whether it is there</small
			>
		</h2>
		<table class="grid-table mt-1">
			<caption class="sr-only">Inner gateways</caption>
			<thead
				><tr
					><th>gateway</th><th>site</th><th>answers at</th><th>now</th><th class="num">round trip</th><th class="num"
						>services</th
					></tr
				></thead
			>
			<tbody>
				{#each data.gateways as g (g.id)}
					<tr
						><td
							><a class="link font-[620]" href={addressWith(page.url, { card: `inner-gateway/${g.id}` })}>{g.name}</a
							></td
						><td>{g.siteName}</td><td>{g.address}</td><td
							>{#if g.state === 'silent'}<span class="pill pill-buoy">silent</span> since {momentWords(
									data.zone,
									g.stateSince!
								)}{:else if g.state === 'answers'}answers{:else}<span class="text-ink2">not asked yet</span>{/if}</td
						><td class="num">{g.ms === null ? '–' : `${g.ms} ms`}</td><td class="num">{g.services}</td></tr
					>
				{:else}<tr
						><td colspan="6" class="text-ink2 py-4"
							>No inner gateway yet: nobody asks whether private services answer.</td
						></tr
					>{/each}
			</tbody>
		</table>
	{:else if data.list === 'people' && data.reachers}
		<Reachers asked={data.reachers} services={data.services} />
	{:else}
		<table class="grid-table mt-2">
			<caption class="sr-only">Site categories</caption>
			<thead><tr><th>category</th><th class="num">names</th><th class="num">rules</th></tr></thead>
			<tbody>
				{#each data.categories as c (c.id)}
					<tr
						><td
							><a class="link font-[620]" href={addressWith(page.url, { card: `site-category/${c.id}` })}>{c.name}</a
							></td
						><td class="num">{numberWords(c.sites)}</td><td class="num">{c.rules}</td></tr
					>
				{:else}<tr
						><td colspan="3" class="text-ink2 py-4"
							>No category yet: bring a table of names of web sites with their categories.</td
						></tr
					>{/each}
			</tbody>
		</table>
	{/if}
</div>
