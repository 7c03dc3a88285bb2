<script lang="ts">
	import { page } from '$app/state';

	import { countWords, numberWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import ListTabs from '$lib/ui/lists/ListTabs.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import Asked from './Asked.svelte';
	import BringForm from './BringForm.svelte';
	import Compared from './Compared.svelte';
	import Effective from './Effective.svelte';
	import GroupForm from './GroupForm.svelte';

	let { data } = $props();
	const TABS = [
		['groups', 'Groups'],
		['effective', 'What counts'],
		['compare', 'Compare'],
		['settings', 'All settings']
	] as const;
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const close = $derived(addressWith(page.url, { make: null, edit: null }));
	const file = $derived(
		`/api/v1/settings-groups-file${data.look.live ? '' : `?at=${new Date(data.at).toISOString()}`}`
	);
	/** Of some, the first few are named. */
	const SHOWN = 4;
	const areas = $derived([...new Set(data.catalogue.map((s) => s.area))]);
</script>

<svelte:head><title>Settings groups · Sextant</title></svelte:head>
<h1 class="sr-only">Settings groups</h1>
<div class="px-[18px] py-3">
	<PublishNav />
	<LeftOut left={data.left} of="settings" />
	<div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
		<ListTabs label="Settings" tabs={TABS} current={data.list} />
		<p class="text-ink2 text-[13px]">
			{#if data.list === 'groups'}of two that say the same setting, the higher rank counts; then whichever is assigned
				nearer{/if}
		</p>
		<span class="ml-auto flex gap-2">
			{#if data.list === 'groups'}
				<a class="btn" href={file} download>As a file</a>
				{#if may('settings.bring')}<a class="btn" href={addressWith(page.url, { make: 'bring', edit: null })}
						>Bring a file</a
					>{/if}
				{#if may('settings.set')}<a class="btn" href={addressWith(page.url, { make: 'group', edit: null })}
						>Add a group</a
					>{/if}
			{/if}
		</span>
	</div>
	{#if data.make === 'group' && data.list === 'groups'}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Make">
			{#key data.edit}<GroupForm
					catalogue={data.catalogue}
					reaches={data.reaches}
					called={data.called}
					edit={data.editing}
					{close}
				/>{/key}
		</section>
	{:else if data.make === 'bring' && data.list === 'groups'}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Make"><BringForm {close} /></section>
	{/if}
	{#if data.list === 'groups'}
		{#if data.groups.length}
			<table class="grid-table mt-2">
				<caption class="sr-only">Settings groups, the highest rank first</caption>
				<thead
					><tr
						><th class="num">rank</th><th>group</th><th>says</th><th>assigned to</th><th>left out</th><th class="num"
							>endpoints</th
						><th class="num">machines</th><th class="num"
							><abbr class="no-underline" title="Whoever signed in within 30 days">people</abbr></th
						><th><span class="sr-only">what can be done</span></th></tr
					></thead
				>
				<tbody>
					{#each data.groups as g (g.id)}
						<tr>
							<td class="num text-ink2">{g.rank}</td>
							<td
								><a class="link font-[620]" href={addressWith(page.url, { card: `settings-group/${g.id}` })}>{g.name}</a
								><br /><span class="text-ink2 text-[12px]">{g.by}, {momentWords(data.zone, g.since)}</span></td
							>
							<td class="text-[13px]"
								>{#each g.values.slice(0, SHOWN) as x (x.name)}<div>
										{x.name}: <b class="font-[620]">{x.value}</b>
									</div>{/each}{#if g.values.length > SHOWN}<span class="text-ink2"
										>and {g.values.length - SHOWN} more</span
									>{/if}{#if g.values.length === 0}<span class="text-sand">nothing</span>{/if}</td
							>
							<td class="text-[13px]">{@render reaches(g.assigned, 'nothing')}</td>
							<td class="text-[13px]">{@render reaches(g.excluded, '–')}</td>
							<td class="num">{numberWords(g.reaches.endpoint)}</td>
							<td class="num">{numberWords(g.reaches.machine)}</td>
							<td class="num">{numberWords(g.reaches.session)}</td>
							<td class="num"
								>{#if may('settings.set')}<a
										class="btn btn-small"
										href={addressWith(page.url, { make: 'group', edit: g.id })}
										aria-label="Change {g.name}">change</a
									>{/if}</td
							>
						</tr>
					{/each}
				</tbody>
			</table>
		{:else}<p class="text-ink2 mt-2 max-w-[70ch] text-[13.5px]">
				No settings group yet: everything has the value that it usually has. A group holds values, and is assigned to
				branches, teams, pools, lines, sites or single ones; what is left out of it keeps its own.
				{#if may('settings.set')}<a class="link" href={addressWith(page.url, { make: 'group', edit: null })}
						>Add the first group</a
					>{/if}
			</p>{/if}
	{:else if data.list === 'effective'}
		<Asked reaches={data.reaches} asked={data.asked} names={data.names} list="effective" />
		{#if data.effective && 'wrong' in data.effective}<p role="alert" class="text-buoy text-[13.5px]">
				{data.effective.wrong}
			</p>
		{:else if data.effective}<Effective effective={data.effective} />{:else}<p class="text-ink2 text-[13.5px]">
				Choose an endpoint, a machine, a branch, or somebody in a pool: every setting that counts there, with the group
				that says it, what that overrode, and what is left out.
			</p>{/if}
	{:else if data.list === 'compare'}
		<Asked reaches={data.reaches} asked={data.asked} names={data.names} list="compare" />
		{#if data.compared && 'wrong' in data.compared}<p role="alert" class="text-buoy text-[13.5px]">
				{data.compared.wrong}
			</p>
		{:else if data.compared}<Compared compared={data.compared} then={data.asked.then} />{:else}<p
				class="text-ink2 text-[13.5px]"
			>
				Choose two branches, two machines, somebody here and there, or one and another moment: what counts otherwise.
			</p>{/if}
	{:else}
		<p class="text-ink2 mt-2 text-[13px]">
			{countWords(data.catalogue.length, 'setting')}; the value stands where no group says another
		</p>
		<table class="grid-table mt-1">
			<caption class="sr-only">All settings</caption>
			<thead><tr><th>setting</th><th>usually</th><th>for</th><th>takes hold</th><th>said by</th></tr></thead>
			{#each areas as area (area)}
				<tbody>
					<tr><th colspan="5" scope="rowgroup" class="head pt-3 text-left">{area}</th></tr>
					{#each data.catalogue.filter((s) => s.area === area) as s (s.id)}
						<tr>
							<td
								>{s.name} <span class="text-ink2 font-mono text-[11.5px]">{s.id}</span><br /><span
									class="text-ink2 text-[12.5px]">{s.words}</span
								></td
							>
							<td>{s.usualWords}</td>
							<td class="text-ink2 text-[12.5px]">{s.for.join(', ')}</td>
							<td class="text-ink2 text-[12.5px]">{s.holds}{s.cost ? '; takes time at a sign-in' : ''}</td>
							<td class="text-[13px]"
								>{#each s.groups as g (g.id)}<a
										class="link block"
										href={addressWith(page.url, { card: `settings-group/${g.id}` })}>{g.name}</a
									>{:else}–{/each}</td
							>
						</tr>
					{/each}
				</tbody>
			{/each}
		</table>
	{/if}
</div>

{#snippet reaches(list: { kind: string; name: string }[], none: string)}
	{#each list.slice(0, SHOWN) as r (r.kind + r.name)}<div>
			{r.name}{#if !['everything', 'endpoints', 'machines'].includes(r.kind)}<span class="text-ink2 ml-1 text-[12px]"
					>{r.kind}</span
				>{/if}
		</div>{:else}<span class={none === '–' ? 'text-ink3' : 'text-sand'}>{none}</span>{/each}
	{#if list.length > SHOWN}<span class="text-ink2">and {list.length - SHOWN} more</span>{/if}
{/snippet}
