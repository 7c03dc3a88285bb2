<script lang="ts">
	import { page } from '$app/state';
	import { ADMISSION_WORDS, type Admission } from '$lib/core/endpoints/announced';
	import { countWords, numberWords } from '$lib/core/time/units';
	import { dayWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LongList from '$lib/ui/lists/LongList.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	/** How devices come: where they are told to call, how they are let in at each site, and which were announced. */
	interface Row {
		id: string;
		site: string | null;
		expectedAt: number;
		state: string;
		endpoint: number | null;
		name: string | null;
	}
	interface Props {
		coming: {
			calledAt: string;
			elsewhere: Admission;
			sites: {
				id: string;
				name: string;
				zone: string;
				way: Admission;
				ranges: string[];
				announced: number;
				calledIn: number;
				away: number;
				check: { ok: boolean | null; saw: string; remedy: string } | null;
			}[];
			rows: Row[];
			total: number;
		};
		at: number;
		scope: string;
		sort: string;
		may: (kind: string) => boolean;
	}
	let { coming, at, scope, sort, may }: Props = $props();
	const COLUMNS = [
		{ key: 'id', words: 'serial number', width: 'minmax(120px,1fr)' },
		{ key: 'site', words: 'for', width: 'minmax(100px,1fr)' },
		{ key: 'expectedAt', words: 'expected from', width: '130px' },
		{ key: 'state', words: 'what became of it', width: 'minmax(120px,1fr)' },
		{ key: 'name', words: 'endpoint', width: 'minmax(110px,1fr)' },
		{ key: 'do', words: 'on the list', width: '96px', sort: false }
	];
	const siteOf = (id: string | null) => coming.sites.find((s) => s.id === id);
	const make = (what: string, edit: string | null = null) => addressWith(page.url, { make: what, edit });
</script>

<div class="flex min-h-0 flex-1 flex-col overflow-y-auto">
	<p class="mt-2 text-[13px]">
		{#if coming.calledAt}Endpoints are to call <b class="font-mono text-[12.5px]">{coming.calledAt}</b>{:else}Nothing
			says where endpoints are to call, so that it cannot be seen whether networks tell them so.{/if}
		{#if may('endpoint.called-at')}<a class="link ml-1" href={make('call')}
				>{coming.calledAt ? 'change' : 'Say where they call'}<span class="sr-only"
					>{coming.calledAt ? ' where endpoints call' : ''}</span
				></a
			>{/if}
	</p>
	<table class="grid-table mt-2">
		<caption class="sr-only">How new endpoints come in, site by site</caption>
		<thead
			><tr
				><th>site</th><th>where its devices call</th><th>let in</th><th class="num whitespace-nowrap">announced</th><th
					class="num whitespace-nowrap">called in</th
				><th class="num whitespace-nowrap">stay away</th></tr
			></thead
		>
		<tbody>
			{#each coming.sites as s (s.id)}
				<tr>
					<td
						><a class="link" href={addressWith(page.url, { card: `site/${s.id}` })}>{s.name}</a><br /><span
							class="text-ink2 text-[12px]">{s.ranges.join(', ') || 'no network'}</span
						>
						{#if may('endpoint.networks')}<a
								class="link ml-1 text-[12px]"
								href={make('networks', s.id)}
								aria-label="Change the networks of endpoints at {s.name}">change</a
							>{/if}</td
					>
					<td
						>{#if !s.check}<span class="text-ink2">not looked at</span>
						{:else if s.check.ok}<span class="text-ink2">{s.check.saw}</span>
						{:else}<span class="pill pill-buoy mr-1">not found</span>{s.check.saw}<br /><span class="text-ink2"
								>{s.check.remedy}</span
							>{/if}</td
					>
					<td class="whitespace-nowrap"
						>{ADMISSION_WORDS[s.way]}
						{#if may('endpoint.admit')}<a
								class="link ml-1"
								href={make('admit', s.id)}
								aria-label="Change how endpoints at {s.name} are let in">change</a
							>{/if}</td
					>
					<td class="num">{numberWords(s.announced)}</td>
					<td class="num">{numberWords(s.calledIn)}</td>
					<td class={['num', s.away ? 'text-buoy font-[650]' : '']}>{numberWords(s.away)}</td>
				</tr>
			{/each}
			<tr>
				<td class="text-ink2 whitespace-nowrap">addresses of no site</td>
				<td class="text-ink2">–</td>
				<td class="whitespace-nowrap"
					>{ADMISSION_WORDS[coming.elsewhere]}
					{#if may('endpoint.admit')}<a
							class="link ml-1"
							href={make('admit', '-')}
							aria-label="Change how endpoints from addresses of no site are let in">change</a
						>{/if}</td
				>
				<td class="num">–</td><td class="num">–</td><td class="num">–</td>
			</tr>
		</tbody>
	</table>
	{#if coming.total}
		<h2 class="head mt-4">{countWords(coming.total, 'announced endpoint')}</h2>
		<div class="mt-1 min-h-[200px] flex-1">
			{#key sort + scope}
				<LongList
					kind="announced-endpoints"
					columns={COLUMNS}
					first={coming.rows}
					total={coming.total}
					{at}
					{scope}
					{sort}
					cardOf={(r) => (r.endpoint === null ? '' : `endpoint/${r.endpoint}`)}
					cell={announced}
				/>
			{/key}
		</div>
	{:else}<p class="text-ink2 mt-3 text-[13px]">
			No endpoint is announced. What is announced by its serial number and does not come is missed here and on Today.
		</p>{/if}
</div>

{#snippet announced(r: Row, key: string)}
	{#if key === 'site'}{siteOf(r.site)?.name ?? r.site ?? 'any site'}
	{:else if key === 'expectedAt'}{dayWords(siteOf(r.site)?.zone ?? 'Etc/UTC', r.expectedAt)}
	{:else if key === 'state'}<span
			class={r.state === 'stays away' ? 'text-buoy' : r.state === 'expected' ? '' : 'text-ink2'}>{r.state}</span
		>
	{:else if key === 'name'}{#if r.endpoint !== null}<a
				class="link"
				href={addressWith(page.url, { card: `endpoint/${r.endpoint}` })}>{r.name}</a
			>{:else}–{/if}
	{:else if key === 'do'}{#if may('endpoint.withdraw')}<PlanButton
				kind="endpoint.withdraw"
				input={{ serials: [r.id] }}
				words="remove"
				label="Remove {r.id}"
				small
			/>{/if}
	{:else}{r.id}{/if}
{/snippet}
