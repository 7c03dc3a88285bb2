<script lang="ts">
	import { page } from '$app/state';
	import { ATTACH_CAUSE_WORDS } from '$lib/core/packages/attaching';
	import { countWords, numberWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import DeliverForm from './DeliverForm.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const PRESENT = { start: 'from the start', 'sign-in': 'from sign-in on', launch: 'from launch on' };
	const byPackage = $derived(
		[...new Set(data.deliveries.map((d) => d.package))].map(
			(name) => [name, data.deliveries.filter((d) => d.package === name)] as const
		)
	);
	/** Versions that a package has in pools, newest use first. */
	const versionsOf = (rows: typeof data.deliveries) => [...new Set(rows.map((d) => d.version))].join(' and ');
</script>

<svelte:head><title>Delivery · Sextant</title></svelte:head>
<h1 class="sr-only">Delivery</h1>
<div class="px-[18px] py-3">
	<PublishNav />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">Deliveries have no forecast: this is the present.</p>{/if}
	<LeftOut left={data.left} of="deliveries" />
	<div class="flex items-baseline gap-2">
		<h2 class="head">Delivery <small>packages on the machines of pools; people go on working meanwhile</small></h2>
		{#if may('package.deliver') && data.packages.length}<a
				class="btn ml-auto"
				href={addressWith(page.url, { make: 'delivery' })}>Deliver a package</a
			>{/if}
	</div>
	{#if data.make && may('package.deliver')}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Make">
			<DeliverForm
				packages={data.packages}
				pools={data.pools}
				deliveries={data.deliveries}
				close={addressWith(page.url, { make: null })}
			/>
		</section>
	{/if}
	{#each byPackage as [name, rows] (name)}
		<h3 class="head mt-4">
			<a class="link" href={addressWith(page.url, { card: `package/${name}` })}>{name}</a>
			<small
				>{versionsOf(rows)} on {countWords(rows.length, 'pool')}, open for {countWords(
					rows.reduce((n, d) => n + d.people, 0),
					'person',
					'people'
				)}</small
			>
		</h3>
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>pool</th><th>version</th><th>present</th><th class="num">machines that have it</th><th class="num"
						>open for</th
					><th>on an older version</th><th>in trouble</th></tr
				></thead
			>
			<tbody>
				{#each rows as d (d.pool)}
					<tr>
						<td
							><a class="link" data-row href={addressWith(page.url, { card: `delivery/${d.pool}/${d.package}` })}
								>{d.poolName}</a
							></td
						>
						<td>{d.version}</td>
						<td class="text-ink2">{PRESENT[d.mode]}</td>
						<td class="num"
							>{numberWords(d.attached)} of {numberWords(d.up)} up{#if d.attaching}<span class="text-ink3"
									>, {d.attaching} on the way</span
								>{/if}</td
						>
						<td class="num">{numberWords(d.people)}</td>
						<td
							>{#each d.old as o (o.version)}<span class="pill pill-sand mr-1"
									>{countWords(o.people, 'person', 'people')} on {o.version}</span
								>{:else}<span class="text-ink3">nobody</span>{/each}</td
						>
						<td
							>{#each d.failing as x (x.cause)}<span class="pill pill-buoy mr-1"
									>{countWords(x.machines, 'machine')}: {ATTACH_CAUSE_WORDS[x.cause]}</span
								>{:else}<span class="text-ink3">none</span>{/each}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}
		<p class="text-ink2 mt-3 max-w-[62ch] text-[13.5px]">
			{#if data.packages.length}
				Here stands which pools have which packages, on how many of their machines, and who still has an older version
				open. {data.look.scope.terms.length
					? 'None lies in this scope.'
					: 'Nothing is delivered yet: deliver a package to a pool.'}
			{:else}
				There is no package to deliver yet. <a class="link" href={addressWith(page.url, {}, '/publish/packages')}
					>Capture an app first</a
				>.
			{/if}
		</p>
	{/each}
</div>
