<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	interface Props {
		packages: { name: string; versions: { number: string; no: Record<string, string> }[] }[];
		pools: { id: string; name: string }[];
		deliveries: { package: string; pool: string; version: string }[];
		close: string;
	}
	let { packages, pools, deliveries, close }: Props = $props();
	const noOf = (name: string, number: string) =>
		packages.find((p) => p.name === name)?.versions.find((v) => v.number === number)?.no ?? {};
	const form = new PlanForm({
		kind: 'package.deliver',
		start: untrack(() => ({
			package: packages[0]?.name ?? '',
			version: packages[0]?.versions[0]?.number ?? '',
			mode: 'start',
			pools: [] as string[]
		})),
		input: (x) => ({ ...x, pools: x.pools.filter((p) => !(p in noOf(x.package, x.version))) }),
		parts: { make: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const versions = $derived(packages.find((p) => p.name === f.package)?.versions ?? []);
	const no = $derived(noOf(f.package, f.version));
	/** Pools that cannot have it, by the reason. */
	const reasons = $derived(
		[...new Set(Object.values(no))].map((why) => ({
			why,
			pools: pools.filter((p) => no[p.id] === why).map((p) => p.name)
		}))
	);
	const has = (pool: string) => deliveries.find((d) => d.package === f.package && d.pool === pool)?.version;
</script>

<h3 class="head">Deliver a package <small>nobody is signed out; who has another version open keeps it</small></h3>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="Package" problem={errors.package}
		>{#snippet children(p)}<select
				{...p}
				class="field"
				bind:value={f.package}
				onchange={() => (f.version = versions[0]?.number ?? '')}
				>{#each packages as x (x.name)}<option>{x.name}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Version" problem={errors.version}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.version}
				>{#each versions as v (v.number)}<option>{v.number}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Present" problem={errors.mode}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.mode}
				><option value="start">from the start of the machine</option><option value="sign-in">from sign-in on</option
				><option value="launch">from its first launch on</option></select
			>{/snippet}</Field
	>
	<fieldset class="col-span-4">
		<legend class="text-ink2 text-[12.5px]">Pools</legend>
		<div class="flex flex-wrap gap-x-5 gap-y-1 text-[13px]">
			{#each pools.filter((p) => !(p.id in no)) as p (p.id)}
				<label class="flex items-center gap-1.5"
					><input type="checkbox" value={p.id} bind:group={f.pools} />{p.name}{#if has(p.id)}<span class="text-ink3"
							>has {has(p.id)}</span
						>{/if}</label
				>
			{:else}
				<span class="text-ink2">No pool can have this version.</span>
			{/each}
		</div>
		{#each reasons as r (r.why)}
			<p class="text-ink3 mt-1 text-[12.5px]">{r.pools.join(', ')}: {r.why}</p>
		{/each}
		<p class="text-buoy text-[12.5px]" role="alert">{errors.pools ?? ''}</p>
	</fieldset>
	<div class="col-span-4"><FormEnd {form} words="Plan the delivery" {close} /></div>
</form>
