<script lang="ts">
	import type { Conditions } from '$lib/core/access/decide';
	import { parseClock } from '$lib/core/time/hours';
	import Channels from '$lib/ui/forms/Channels.svelte';
	import GrantSpan from '$lib/ui/forms/GrantSpan.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { untrack } from 'svelte';

	let {
		grant,
		zone,
		now
	}: {
		grant: { id: number; conditions: Conditions; channels: string[]; kind: 'required' | 'optional' };
		zone: string;
		now: number;
	} = $props();
	const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
	const clock = (m: number) => `${String(Math.floor(m / 60)).padStart(2, '0')}:${String(m % 60).padStart(2, '0')}`;
	const form = new PlanForm({
		kind: 'grant.change',
		start: untrack(() => ({
			limited: grant.conditions.hours !== undefined,
			days: grant.conditions.hours?.days.map(String) ?? ['1', '2', '3', '4', '5'],
			from: clock(grant.conditions.hours?.from ?? 420),
			until: clock(grant.conditions.hours?.until ?? 1140),
			managed: grant.conditions.managedEndpoint ?? false,
			factor: grant.conditions.secondFactor ?? false,
			networks: (grant.conditions.networks ?? []).join(', '),
			channels: [...grant.channels],
			kind: grant.kind,
			first: grant.conditions.from ?? '',
			last: grant.conditions.to ?? ''
		})),
		input: (f) => ({
			grant: grant.id,
			channels: f.channels,
			kind: f.kind,
			conditions: {
				...(f.first ? { from: f.first } : {}),
				...(f.last ? { to: f.last } : {}),
				...(f.limited
					? { hours: { days: f.days.map(Number), from: parseClock(f.from), until: parseClock(f.until) } }
					: {}),
				managedEndpoint: f.managed,
				secondFactor: f.factor,
				networks: f.networks.split(/[\s,]+/).filter(Boolean)
			}
		}),
		wrong: (f) =>
			f.limited && (parseClock(f.from) === null || parseClock(f.until) === null)
				? { hours: 'Write times of day such as 07:00 and 19:00.' }
				: {},
		// A range or a day is one of a list: what is wrong with it stands with the whole field.
		beside: (path) => /networks|hours|conditions\.(from|to)/.exec(path)?.[0] ?? 'form',
		parts: { grant: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<form class="grid grid-cols-[1fr_1fr] gap-x-6 gap-y-2 py-2 text-[13px]" onsubmit={form.submit} novalidate>
	<fieldset>
		<legend class="head">Hours</legend>
		<label class="flex items-center gap-1.5"
			><input type="checkbox" bind:checked={f.limited} />only within hours, on the clock of their site</label
		>
		{#if f.limited}
			<div class="mt-1 flex flex-wrap items-center gap-2">
				{#each DAYS as d, i (d)}<label class="flex items-center gap-1"
						><input type="checkbox" value={String(i + 1)} bind:group={f.days} />{d}</label
					>{/each}
				<input class="field w-[70px]" bind:value={f.from} aria-label="From" aria-invalid={errors.hours !== undefined} />
				– <input class="field w-[70px]" bind:value={f.until} aria-label="Until" />
			</div>
		{/if}
		<p class="text-buoy text-[12.5px]" role="alert">{errors.hours ?? ''}</p>
	</fieldset>
	<fieldset>
		<legend class="head">Also needed</legend>
		<label class="flex items-center gap-1.5"><input type="checkbox" bind:checked={f.managed} />a managed endpoint</label
		>
		<label class="flex items-center gap-1.5"><input type="checkbox" bind:checked={f.factor} />a second factor</label>
		<label class="mt-1 block"
			>From these ranges only <input
				class="field"
				bind:value={f.networks}
				placeholder="any"
				aria-invalid={errors.networks !== undefined}
			/></label
		>
		<p class="text-buoy text-[12.5px]" role="alert">{errors.networks ?? ''}</p>
	</fieldset>
	<fieldset class="col-span-2">
		<legend class="head">How and when it is theirs</legend>
		<div class="flex flex-wrap items-center gap-4">
			<label class="flex items-center gap-1"
				><input type="radio" value="required" bind:group={f.kind} />required: placed on their shelf</label
			>
			<label class="flex items-center gap-1"
				><input type="radio" value="optional" bind:group={f.kind} />optional: they fetch it</label
			>
		</div>
		<div class="mt-1 grid grid-cols-2 gap-x-4">
			<GrantSpan {zone} {now} {errors} bind:from={f.first} bind:to={f.last} />
		</div>
	</fieldset>
	<fieldset class="col-span-2">
		<legend class="head">Channels passed through</legend>
		<Channels bind:channels={f.channels} />
	</fieldset>
	<div class="col-span-2"><FormEnd {form} words="Plan the change" /></div>
</form>
