<script lang="ts">
	import { page } from '$app/state';
	import { numberWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import ListTabs from '$lib/ui/lists/ListTabs.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import SecureNav from '$lib/ui/secure/SecureNav.svelte';
	import BringForm from './BringForm.svelte';
	import Tester from './Tester.svelte';

	let { data } = $props();
	const TABS = [
		['rules', 'In order'],
		['tests', 'Tests'],
		['services', 'Private services'],
		['categories', 'Site categories']
	] as const;
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const close = $derived(addressWith(page.url, { make: null }));
	const file = $derived(`/api/v1/access-rules-file${data.look.live ? '' : `?at=${new Date(data.at).toISOString()}`}`);
	const TONES: Record<string, string> = { allow: 'text-kelp', refuse: 'text-buoy' };
	const broken = $derived(data.tests.filter((t) => !t.holds).length);
	/** A rule moves before the one above it, or behind the one below. */
	const moved = (i: number, by: -1 | 1) => ({
		edits: [{ move: data.rules[i]!.id, before: (by < 0 ? data.rules[i - 1]?.id : data.rules[i + 2]?.id) ?? null }]
	});
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
			{#if data.list === 'rules'}the first that fits decides{:else if data.list === 'tests'}each has to hold for
				everybody it names, in all circumstances that it leaves open{/if}
		</p>
		<span class="ml-auto flex gap-2">
			{#if data.list === 'rules' || data.list === 'tests'}
				<a class="btn" href={file} download>As a file</a>
				{#if may('access-rules.bring')}<a class="btn" href={addressWith(page.url, { make: 'bring' })}>Bring a file</a
					>{/if}
			{:else if data.list === 'categories' && may('site-categories.bring')}
				<a class="btn" href={addressWith(page.url, { make: 'bring' })}>Bring a table</a>
			{/if}
		</span>
	</div>
	{#if data.make === 'bring' && data.list !== 'services'}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Bring">
			{#key data.list}<BringForm what={data.list === 'categories' ? 'categories' : 'rules'} {close} />{/key}
		</section>
	{/if}
	{#if data.list === 'rules'}
		{#if broken}<p class="text-buoy mt-2 text-[13px]">
				{broken === 1 ? 'One test does' : `${broken} tests do`} not hold:
				<a class="link" href={addressWith(page.url, { list: 'tests' })}>see which</a>
			</p>{/if}
		<ol class="mt-2" aria-label="Access rules in their order">
			{#each data.rules as r, i (r.id)}
				<li class="border-hair grid grid-cols-[34px_1fr_auto] items-baseline gap-x-3 border-b py-[7px]">
					<span class="text-ink2 text-right tabular-nums">{r.number}</span>
					<div class="min-w-0">
						<p class="text-[13.5px]">
							<b class={['font-[650]', TONES[r.effect] ?? 'text-ink']}>{r.decides}</b>
							{r.says}
							{#if r.stands}<span
									class="border-sand text-sand ml-1 rounded-full border px-2 text-[12px] whitespace-nowrap"
									title={r.stands.words}>{r.stands.short}</span
								>{/if}
						</p>
						<p class="text-ink2 text-[12.5px]">
							{[r.name, r.tells ? `“${r.tells}”` : '', r.stands?.words ?? ''].filter(Boolean).join(' · ')}
						</p>
					</div>
					<div class="flex gap-1">
						{#if may('access-rules.change')}
							{#if i > 0}<PlanButton
									kind="access-rules.change"
									input={moved(i, -1)}
									words="up"
									label="Move rule {r.number} up"
									small
								/>{/if}
							{#if i < data.rules.length - 1}<PlanButton
									kind="access-rules.change"
									input={moved(i, 1)}
									words="down"
									label="Move rule {r.number} down"
									small
								/>{/if}
							<PlanButton
								kind="access-rules.change"
								input={{ edits: [{ remove: r.id }] }}
								words="remove"
								label="Remove rule {r.number}"
								small
							/>
						{/if}
					</div>
				</li>
			{/each}
			<li class="grid grid-cols-[34px_1fr] items-baseline gap-x-3 py-[7px]">
				<span class="text-ink3 text-right" aria-hidden="true">–</span>
				<p class="text-[13.5px]">
					Everything else: web <b class={['font-[650]', TONES[data.otherwise.web]]}
						>{data.otherwise.web === 'allow' ? 'allowed' : 'refused'}</b
					>, private services
					<b class={['font-[650]', TONES[data.otherwise.services]]}
						>{data.otherwise.services === 'allow' ? 'allowed' : 'refused'}</b
					>
				</p>
			</li>
		</ol>
		{#if data.rules.length === 0}<p class="text-ink2 mt-2 max-w-[70ch] text-[13.5px]">
				No access rule yet: what stands above decides for everybody. Rules come in a file, or by program; each change
				says who gains and who loses before it is saved.
			</p>{/if}
		<Tester tried={data.tried} services={data.services} zone={data.zone} />
	{:else if data.list === 'tests'}
		<ul class="mt-2" aria-label="Tests of the rules">
			{#each data.tests as t (t.name)}
				<li class="border-hair border-b py-[7px] text-[13.5px]">
					<b class={['font-[650]', t.holds ? 'text-kelp' : 'text-buoy']}>{t.holds ? 'holds' : 'fails'}</b>
					{t.name}
					<span class="text-ink2 text-[12.5px]">· {t.words}</span>
				</li>
			{:else}<li class="text-ink2 text-[13.5px]">
					No test yet. A test is a sentence such as “Charts reaches the archive from the office”; it stands in the file
					of the rules, and a draft that breaks one is blocked.
				</li>{/each}
		</ul>
	{:else if data.list === 'services'}
		<table class="grid-table mt-2">
			<caption class="sr-only">Private services</caption>
			<thead
				><tr
					><th>service</th><th>group</th><th>hosts</th><th>ports</th><th class="num">rules by name</th><th>since</th
					></tr
				></thead
			>
			<tbody>
				{#each data.services as s (s.id)}
					<tr
						><td class="font-[620]">{s.name}</td><td class="text-ink2">{s.group ?? '–'}</td><td>{s.hosts.join(', ')}</td
						><td>{s.protocol} {s.ports.join(', ')}</td><td class="num">{s.rules}</td><td class="text-ink2"
							>{s.by}, {momentWords(data.zone, s.since)}</td
						></tr
					>
				{:else}<tr
						><td colspan="6" class="text-ink2 py-4"
							>No private service yet: what people reach inside by host and port, such as a data base.</td
						></tr
					>{/each}
			</tbody>
		</table>
	{:else}
		<table class="grid-table mt-2">
			<caption class="sr-only">Site categories</caption>
			<thead><tr><th>category</th><th class="num">names</th><th class="num">rules</th></tr></thead>
			<tbody>
				{#each data.categories as c (c.id)}
					<tr
						><td class="font-[620]">{c.name}</td><td class="num">{numberWords(c.sites)}</td><td class="num"
							>{c.rules}</td
						></tr
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
