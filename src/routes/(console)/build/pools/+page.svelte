<script lang="ts">
	import { untrack } from 'svelte';
	import { page } from '$app/state';
	import { sizeWords } from '$lib/core/time/units';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import { imageWords } from '$lib/core/images/versions';
	import OrderedChoice from '$lib/ui/forms/OrderedChoice.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { SHARE } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import Foreseen from '$lib/ui/plan/Foreseen.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import Turns, { turning, turnsInput } from './Turns.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	let chosen = $state(untrack(() => data.pools[0]?.id ?? ''));
	const pool = $derived(data.pools.find((p) => p.id === chosen) ?? null);
	let kind = $state('machines.reset');
	let number = $state('');
	const turns = (atOnce: number) => untrack(() => turning(atOnce, data.look.known, data.homeZone));
	const form = new PlanForm({
		kind: (x) => (x.again ? 'schedule.add' : kind),
		start: turns(8),
		input: (x) =>
			turnsInput(
				x,
				kind,
				{ pool: pool?.id ?? '', ...(kind === 'machines.move' ? { number } : {}) },
				`${kind === 'machines.move' ? 'Move' : 'Reset'} ${pool?.name ?? ''}`,
				data.homeZone
			),
		// Of a schedule, what is wrong within its plan stands beside the field it is about.
		beside: (path) => path.replace(/^input\./, '')
	});
	const fresh = form.f;
	const errors = $derived(form.errors);
	const versions = $derived(data.lines.find((l) => l.id === pool?.line)?.versions ?? []);
	$effect(() => {
		if (!versions.includes(number)) number = versions.at(-1) ?? '';
	});
	let servers: string[] = $derived(pool?.bootServers ?? []);
	const boot = new PlanForm({
		kind: 'pool.boot-servers',
		start: {},
		input: () => ({ pool: pool?.id ?? '', servers }),
		foresee: false
	});
	let evened = $state('');
	const disks = new PlanForm({
		kind: (x) => (x.again ? 'schedule.add' : 'volumes.even'),
		start: { ...turns(3), share: 80 as number | Unread },
		input: ({ share, ...x }) =>
			turnsInput(
				x,
				'volumes.even',
				{ site: evened, share },
				`Even out ${data.sites.find((s) => s.id === evened)?.name ?? evened}`,
				data.homeZone
			),
		beside: (path) => path.replace(/^input\./, ''),
		foresee: false
	});
	const even = (site: string) => {
		evened = site;
		return disks.submit();
	};
</script>

<h1 class="sr-only">Pools kept fresh</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	{#if data.pools.length}
		<form onsubmit={form.submit} novalidate>
			<table class="grid-table">
				<thead
					><tr
						><th class="w-8"><span class="sr-only">chosen</span></th><th>pool</th><th>site</th><th>versions</th><th
							>follows</th
						><th class="num">machines</th><th class="num">people on it</th></tr
					></thead
				>
				<tbody>
					{#each data.pools as p (p.id)}
						<tr class={p.id === chosen ? 'bg-seawash' : ''}>
							<td><input type="radio" name="pool" aria-label="Choose {p.name}" value={p.id} bind:group={chosen} /></td>
							<td class="font-semibold"
								><a class="hover:text-sea" href={addressWith(page.url, { card: `pool/${p.id}` })}>{p.name}</a
								>{p.personal ? ' (personal)' : ''}</td
							>
							<td>{p.site}</td>
							<td
								>{#each p.versions as v, i (v.number)}{i ? ', ' : ''}<a
										class="link"
										href={addressWith(page.url, { card: `version/${p.line}/${v.number}` })}
										>{imageWords(p.line, v.number)}</a
									>{p.versions.length > 1 ? ` (${v.n})` : ''}{/each}</td
							>
							<td>{p.follows}</td>
							<td class="num">{p.machines}</td>
							<td class="num">{p.people}</td>
						</tr>
					{/each}
				</tbody>
			</table>
			{#if pool && may('machines.reset')}
				<h2 class="head mt-4">Make {pool.name} fresh <small>the quickest answer to malware, too</small></h2>
				<div
					class="mt-1.5 grid grid-cols-[repeat(auto-fill,minmax(205px,1fr))] gap-x-4"
					role="group"
					aria-label="How {pool.name} is made fresh"
				>
					<Field label="What"
						>{#snippet children(p)}<select {...p} class="field" bind:value={kind}
								><option value="machines.reset">reset to its image</option><option value="machines.move"
									>move to a version</option
								></select
							>{/snippet}</Field
					>
					{#if kind === 'machines.move'}<Field label="Version" problem={errors.number}
							>{#snippet children(p)}<select {...p} class="field" bind:value={number}
									>{#each versions.toReversed() as v (v)}<option>{v}</option>{/each}</select
								>{/snippet}</Field
						>{/if}
					<Turns f={fresh} {errors} zone={data.homeZone} now={data.look.known} />
				</div>
				<Foreseen {form} />
				<div class="flex items-center gap-4 text-[13px]">
					<label class="flex items-center gap-1.5"
						><input type="checkbox" bind:checked={fresh.again} /> again and again, by a rule</label
					>
					<button class="btn btn-go" disabled={form.busy}
						>{fresh.again ? 'Plan the schedule' : kind === 'machines.move' ? 'Plan the move' : 'Plan the reset'}</button
					>
					{#if errors.form || errors.pool || errors.title}<p class="text-buoy" role="alert">
							{errors.form ?? errors.pool ?? errors.title}
						</p>{/if}
				</div>
			{/if}
		</form>
	{:else}<p class="text-ink2 text-[13.5px]">No pool is in this scope. Pools are made on Publish.</p>{/if}

	{#if pool && data.bootServers.length && may('pool.boot-servers')}
		<h2 class="head mt-5">
			What {pool.name} starts from <small>machines that are up run on; nothing is built anew</small>
		</h2>
		<form class="mt-1 flex items-end gap-6" onsubmit={boot.submit} novalidate>
			<div class="w-[320px]">
				<OrderedChoice
					label="Boot servers, tried in this order"
					none="none: each starts from its own disk"
					choices={data.bootServers.map((b) => b.id)}
					bind:value={servers}
					problem={boot.errors.servers ?? boot.errors.form}
				/>
			</div>
			<button class="btn mb-[18px]">Plan this order</button>
		</form>
	{/if}

	{#if data.sites.length}
		<h2 class="head mt-6">Volumes <small>evened out by moving as few bytes as can be</small></h2>
		{#if may('volumes.even')}
			<div
				class="mt-1.5 grid grid-cols-[repeat(auto-fill,minmax(205px,1fr))] gap-x-4"
				role="group"
				aria-label="How volumes are evened out"
			>
				<MeasureField label="None over" measure={SHARE} problem={disks.errors.share} bind:value={disks.f.share} />
				<Turns f={disks.f} errors={disks.errors} zone={data.homeZone} now={data.look.known} />
			</div>
			<label class="flex items-center gap-1.5 text-[13px]"
				><input type="checkbox" bind:checked={disks.f.again} /> again and again, by a rule</label
			>
			{#if disks.errors.form || disks.errors.title}<p class="text-buoy text-[12.5px]" role="alert">
					{disks.errors.form ?? disks.errors.title}
				</p>{/if}
		{/if}
		<table class="grid-table mt-1">
			<tbody>
				{#each data.sites as s (s.id)}
					<tr>
						<td class="w-[150px] font-semibold">{s.name}</td>
						<td
							><div class="flex flex-wrap gap-x-5 gap-y-1">
								{#each s.volumes as v (v.id)}
									{@const share = v.used / v.size}
									<span class="flex items-center gap-2 text-[12.5px]"
										><a class="link" href={addressWith(page.url, { card: `volume/${v.id}` })}>{v.id}</a><span
											class="bg-hair2 inline-block h-2 w-[80px] overflow-hidden rounded"
											aria-hidden="true"
											><span
												class={['block h-2', share > 0.9 ? 'bg-buoy' : share > 0.8 ? 'bg-sand' : 'bg-sea']}
												style="width:{100 * share}%"
											></span></span
										>{Math.round(share * 100)} % of {sizeWords(v.size)}</span
									>
								{/each}
							</div></td
						>
						<td class="num"
							>{#if may('volumes.even') && s.volumes.length > 1}<button
									class="btn"
									disabled={disks.busy}
									onclick={() => even(s.id)}>{disks.f.again ? 'Schedule it for' : 'Even out'} {s.name}</button
								>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{/if}
</div>
