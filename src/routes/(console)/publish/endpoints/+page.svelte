<script lang="ts">
	import { page } from '$app/state';
	import { countWords, durationWords, numberWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import ListTabs from '$lib/ui/lists/ListTabs.svelte';
	import LongList from '$lib/ui/lists/LongList.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import AdmitForm from './AdmitForm.svelte';
	import Announced from './Announced.svelte';
	import AnnounceForm from './AnnounceForm.svelte';
	import BranchForm from './BranchForm.svelte';
	import CallForm from './CallForm.svelte';
	import Firmware from './Firmware.svelte';
	import FirmwareForm from './FirmwareForm.svelte';
	import MoveForm from './MoveForm.svelte';
	import NetworksForm from './NetworksForm.svelte';
	import RuleForm from './RuleForm.svelte';
	import KeepForm from './KeepForm.svelte';
	import WorkForm from './WorkForm.svelte';
	import ShutForm from './ShutForm.svelte';

	let { data } = $props();
	const TABS = [
		['rules', 'Enrolment rules'],
		['devices', 'Endpoints'],
		['firmware', 'Firmware'],
		['announced', 'How they come']
	] as const;
	type Row = { id: number } & Record<string, unknown>;
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const close = $derived(addressWith(page.url, { make: null, edit: null }));
	const most = $derived(Math.max(1, ...data.rules.map((r) => r.starts)));
	const wide = $derived(!(data.card || data.plan));
	const here = $derived(/(?:^|\s)branch:(\S+)/.exec(data.look.scopeText)?.[1] ?? null);
	const inputs = $derived(
		data.rules.map(({ id, name, condition, into, bySite, whom, often, deeper }) => ({
			id,
			name,
			condition,
			into,
			bySite,
			whom,
			often,
			deeper
		}))
	);
	const MAKES = ['rule', 'branch', 'move', 'shut', 'keep', 'work', 'firmware', 'announce', 'call', 'admit', 'networks'];
	/** Whose way of being let in is changed: of a site, or of addresses of none. */
	const admitted = $derived(
		data.edit === '-'
			? data.coming && { id: null, name: '', way: data.coming.elsewhere }
			: (data.coming?.sites.find((s) => s.id === data.edit) ?? null)
	);
	const networked = $derived(data.coming?.sites.find((s) => s.id === data.edit) ?? null);
	/** How long somebody has waited, to the minute. */
	const waited = (since: number) =>
		durationWords(Math.max(1, Math.floor((data.at - since) / 60_000)) * 60_000).replace(/ \d+ s$/, '');
	/** The rules with one of them a place further up. */
	const raised = (i: number) => inputs.flatMap((r, n) => (n === i - 1 ? [inputs[i]!, r] : n === i ? [] : [r]));
	const ALL = [
		{ key: 'name', words: 'endpoint', width: 'minmax(110px,.8fr)' },
		{ key: 'branchName', words: 'branch', width: 'minmax(120px,1fr)' },
		{ key: 'personName', words: 'used by', width: 'minmax(130px,1fr)' },
		{ key: 'model', words: 'model', width: '90px' },
		{ key: 'firmware', words: 'firmware', width: '80px' },
		{ key: 'address', words: 'address', width: '110px' },
		{ key: 'state', words: 'state', width: '80px' }
	];
	const COLUMNS = $derived(wide ? ALL : ALL.filter((c) => !['firmware', 'address'].includes(c.key)));
	const WHOM = { new: 'new devices', all: 'all devices' };
</script>

<svelte:head><title>Endpoints · Sextant</title></svelte:head>
<h1 class="sr-only">Endpoints</h1>
<div class="flex h-full min-h-0 flex-col px-[18px] py-3">
	<PublishNav />
	<LeftOut left={data.left} of="endpoints" />
	<div class="grid min-h-0 flex-1 grid-cols-[206px_minmax(0,1fr)] gap-x-5">
		<aside class="border-hair min-h-0 overflow-auto border-r pr-3" aria-label="Branches">
			<h2 class="head flex items-baseline justify-between">
				Branches {#if may('branch.add')}<a
						class="link text-[12px] font-normal"
						href={addressWith(page.url, { make: 'branch', edit: null })}
						aria-label="Add a branch">add</a
					>{/if}
			</h2>
			{#if data.branches.length}
				<ul class="mt-1 text-[13px]">
					{#each data.branches as b (b.id)}
						<li class={['flex items-baseline justify-between rounded px-1.5 py-1', here === b.id && 'bg-sea/10']}>
							<a
								class={['min-w-0 hover:underline', here === b.id && 'font-[650]']}
								style:padding-left="{b.depth * 14}px"
								href={addressWith(page.url, { scope: here === b.id ? null : `branch:${b.id}`, list: 'devices' })}
								aria-current={here === b.id ? 'true' : undefined}>{b.name}</a
							><span class="text-ink2 tabular-nums">{numberWords(b.count)}</span>
						</li>
					{/each}
				</ul>
			{:else}<p class="text-ink2 mt-1 text-[13px]">
					No branch yet: endpoints that call in wait until there is one, and a rule that leads to it.
				</p>{/if}
			<h2 class="head mt-4">Waiting room</h2>
			{#if data.waiting.length}
				<ul class="mt-1 text-[13px]">
					{#each data.waiting.slice(0, 30) as w (w.id)}
						<li class="flex items-baseline justify-between gap-2 px-1.5 py-1">
							<a class="link whitespace-nowrap" href={addressWith(page.url, { card: `endpoint/${w.id}` })}>{w.name}</a>
							{#if w.copies}<span class="pill pill-sand">copy</span>{/if}
							<span class="text-ink2 ml-auto whitespace-nowrap">{waited(w.since)}</span>
						</li>
					{/each}
				</ul>
				{#if data.waiting.length > 30}<p class="text-ink2 px-1.5 text-[12.5px]">
						and {data.waiting.length - 30} more
					</p>{/if}
			{:else}<p class="text-ink2 mt-1 text-[13px]">Nobody waits.</p>{/if}
		</aside>
		<div class="flex min-h-0 min-w-0 flex-col">
			<div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
				<ListTabs label="Endpoints" tabs={TABS} current={data.list} />
				<p class="text-ink2 text-[13px]">
					<b class="text-ink">{numberWords(data.awake)}</b> awake of
					<b class="text-ink">{numberWords(data.total)}</b>{#if data.waits}<span class="ml-1">·</span>
						<b class="text-sand">{data.waits}</b>
						{data.waits === 1 ? 'waits' : 'wait'} to be let in{/if}
				</p>
				{#if data.list === 'announced'}{#if may('endpoint.announce')}<a
							class="btn ml-auto"
							href={addressWith(page.url, { make: 'announce', edit: null })}>Announce endpoints</a
						>{/if}
				{:else if data.list === 'firmware'}{#if may('firmware.want') && data.branches.length}<a
							class="btn ml-auto"
							href={addressWith(page.url, { make: 'firmware', edit: null })}>Wish firmware</a
						>{/if}
				{:else if may('rules.set') && data.branches.length}<a
						class="btn ml-auto"
						href={addressWith(page.url, { make: 'rule', edit: null })}>Add a rule</a
					>{/if}
			</div>
			{#if data.make !== null && MAKES.includes(data.make)}
				<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Make">
					{#if data.make === 'rule'}{#key data.edit}<RuleForm
								rules={inputs}
								edit={data.rules.find((r) => String(r.id) === data.edit)?.id ?? null}
								branches={data.branches}
								sites={data.sites}
								teams={data.teams}
								{close}
							/>{/key}
					{:else if data.make === 'branch'}{#key data.edit}<BranchForm
								branches={data.branches}
								sites={data.sites}
								edit={data.branches.find((b) => b.id === data.edit) ?? null}
								{close}
							/>{/key}
					{:else if data.make === 'announce' && data.coming}<AnnounceForm
							sites={data.coming.sites}
							now={data.look.known}
							{close}
						/>
					{:else if data.make === 'call'}<CallForm address={data.coming?.calledAt ?? ''} {close} />
					{:else if data.make === 'admit' && admitted}{#key data.edit}<AdmitForm site={admitted} {close} />{/key}
					{:else if data.make === 'networks' && networked}{#key data.edit}<NetworksForm
								site={networked}
								{close}
							/>{/key}
					{:else if data.moving && data.make === 'shut'}{#key data.edit}<ShutForm device={data.moving} {close} />{/key}
					{:else if data.make === 'firmware'}{#key data.look.scopeText}<FirmwareForm
								branches={data.branches}
								versions={data.versions}
								{here}
								{close}
							/>{/key}
					{:else if data.make === 'work' && data.letIn.length}{#key data.look.scopeText}<WorkForm
								all={data.letIn}
								awake={data.wakeful}
								branches={data.branches}
								{close}
							/>{/key}
					{:else if data.moving && data.make === 'keep'}{#key data.edit}<KeepForm device={data.moving} {close} />{/key}
					{:else if data.moving}{#key data.edit}<MoveForm
								device={data.moving}
								branches={data.branches}
								{close}
							/>{/key}{/if}
				</section>
			{/if}
			{#if data.list === 'rules'}
				{#if data.rules.length}
					<table class="grid-table mt-2">
						<caption class="text-ink2 pb-1 text-left text-[12.5px]"
							>the first that fits puts a device into its branch; bars: {countWords(data.starts, 'start')} of the last 30
							days{data.fro
								? `; ${countWords(data.fro, 'endpoint goes', 'endpoints go')} to and fro between branches`
								: ''}</caption
						>
						<thead
							><tr
								><th class="num">no.</th><th>rule</th><th>starts</th><th>into</th><th
									><span class="sr-only">what can be done</span></th
								></tr
							></thead
						>
						<tbody>
							{#each data.rules as r, i (r.id)}
								<tr>
									<td class="num text-ink2">{i + 1}</td>
									<td
										><b class="font-[620]">{r.name}</b>{#each r.remarks as words (words)}<span
												class="pill pill-sand ml-2 whitespace-normal">{words}</span
											>{/each}<br /><span class="text-ink2 font-mono text-[12px] break-words">{r.words}</span></td
									>
									<td class="w-[130px]"
										><span class="tabular-nums">{numberWords(r.starts)}</span>
										<span class="text-ink2 text-[12px]">{countWords(r.devices, 'device')}</span>
										<span class="bg-hair2 mt-1 block h-1.5 rounded" aria-hidden="true"
											><span class="bg-sea block h-1.5 rounded" style:width="{(100 * r.starts) / most}%"></span></span
										></td
									>
									<td
										>{r.intoName}{r.bySite ? ', by site' : ''}<br /><span class="text-ink2 text-[12px]"
											>{WHOM[r.whom]}, {r.often === 'start' ? 'at every start' : 'once'}{r.deeper === 'stay'
												? '; what is put deeper stays'
												: ''}</span
										></td
									>
									<td class="num whitespace-nowrap"
										>{#if may('rules.set')}<span class="inline-flex gap-1.5">
												{#if i > 0}<PlanButton
														kind="rules.set"
														input={{ rules: raised(i) }}
														words="up"
														label="Put {r.name} a place further up"
														small
													/>{/if}
												<a
													class="btn btn-small"
													href={addressWith(page.url, { make: 'rule', edit: String(r.id) })}
													aria-label="Change {r.name}">change</a
												>
												<PlanButton
													kind="rules.set"
													input={{ rules: inputs.filter((x) => x.id !== r.id) }}
													words="remove"
													label="Remove {r.name}"
													small
												/>
											</span>{/if}</td
									>
								</tr>
							{/each}
						</tbody>
					</table>
				{:else}<p class="text-ink2 mt-2 text-[13.5px]">
						No enrolment rule: whatever calls in waits. {data.branches.length
							? 'A rule says which devices go into which branch.'
							: 'Begin with a branch.'}
						{#if may('branch.add') && !data.branches.length}<a
								class="link"
								href={addressWith(page.url, { make: 'branch', edit: null })}>Add the first branch</a
							>{/if}
					</p>{/if}
				{#if here && may('branch.change')}<p class="mt-3 text-[13px]">
						<a class="link" href={addressWith(page.url, { make: 'branch', edit: here })}>Change this branch</a>
					</p>{/if}
			{:else if data.list === 'firmware' && data.firmware}
				<Firmware {...data.firmware} at={data.at} scope={data.look.scopeText} sort={data.sort} {may} />
			{:else if data.list === 'announced' && data.coming}
				<Announced coming={data.coming} at={data.at} scope={data.look.scopeText} sort={data.sort} {may} />
			{:else}
				<div class="mt-2 flex items-baseline gap-3 text-[13px]">
					{#if here && may('branch.change')}<a class="link" href={addressWith(page.url, { make: 'branch', edit: here })}
							>Change this branch</a
						>{/if}
					{#if data.asleep.length && may('endpoint.wake')}<PlanButton
							kind="endpoint.wake"
							input={{ endpoints: data.asleep }}
							words="Wake the {data.asleep.length} asleep"
							small
						/>{/if}
					{#if data.letIn.length && may('endpoint.show')}<a
							class="btn btn-small"
							href={addressWith(page.url, { make: 'work', edit: null })}>Work with these {data.letIn.length}</a
						>{/if}
					{#if here && may('branch.remove')}<PlanButton
							kind="branch.remove"
							input={{ branch: here }}
							words="Remove it"
							label="Remove this branch"
							small
						/>{/if}
				</div>
				<div class="mt-1 min-h-[240px] flex-1">
					{#key data.sort + data.look.scopeText}
						<LongList
							kind="endpoints"
							columns={COLUMNS}
							first={data.rows}
							total={data.total}
							at={data.at}
							scope={data.look.scopeText}
							sort={data.sort}
							cardOf={(r) => `endpoint/${r.id}`}
							cell={device}
						/>
					{/key}
				</div>
			{/if}
		</div>
	</div>
</div>

{#snippet device(r: Row, key: string)}
	{#if key === 'name'}<a class="link" href={addressWith(page.url, { card: `endpoint/${r.id}` })}>{r.name}</a>
	{:else if key === 'personName'}{#if r.person}<a
				class="link"
				href={addressWith(page.url, { card: `person/${r.person as string}` })}>{r.personName}</a
			>{:else}–{/if}
	{:else if key === 'state'}<span
			class={r.state === 'waits'
				? 'text-sand'
				: r.state === 'shut out'
					? 'text-buoy'
					: r.state === 'awake'
						? ''
						: 'text-ink2'}>{r.state}</span
		>
	{:else}{r[key] ?? '–'}{/if}
{/snippet}
