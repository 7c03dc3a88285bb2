<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import { findPeople } from '$lib/ui/forms/finding';
	import type { Pickable } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Moves somebody to another team or site, now or on a day: what they gain and lose stands below as one chooses. */
	interface Props {
		sites: { id: string; name: string; zone: string }[];
		teams: readonly Pickable[];
		/** Personal pools. */
		pools: readonly { id: string; name: string }[];
		mover: { login: string; name: string; site: string; team: string; teams: string[]; told: string | null } | null;
		now: number;
		close: string;
	}
	let { sites, teams, pools, mover, now, close }: Props = $props();
	const form = new PlanForm({
		kind: 'people.move',
		holds: untrack(() => mover !== null),
		start: untrack(() => ({
			person: mover?.login ?? '',
			when: 'now' as 'now' | 'day',
			on: '',
			site: mover?.site ?? '',
			team: mover?.team ?? '',
			teams: [...(mover?.teams ?? [])],
			pool: '',
			device: 'none' as 'none' | 'keep'
		})),
		// What stays as it is is not spoken of, so that it is not held against what changes meanwhile.
		input: (f) => ({
			person: f.person,
			on: f.when === 'now' ? 'now' : f.on,
			...(f.site && f.site !== mover?.site ? { site: f.site } : {}),
			...(f.team && f.team !== mover?.team ? { team: f.team } : {}),
			...(mover === null || f.teams.join() !== mover.teams.join() ? { teams: [...f.teams] } : {}),
			...(f.pool ? { pool: f.pool } : {}),
			...(f.device === 'keep' ? { device: true } : {})
		}),
		wrong: (f) => ({
			...(f.person ? {} : { person: 'Say who moves.' }),
			...(f.when === 'now' || f.on ? {} : { on: 'Write a day such as Tue 17 Nov.' })
		}),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const zone = $derived(sites.find((s) => s.id === mover?.site)?.zone ?? 'Etc/UTC');
</script>

<h2 class="head">
	{mover ? `${mover.name} moves` : 'Somebody moves'}
	<small>{mover?.told ?? 'grants follow their teams from that day on'}</small>
</h2>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<PickField
		label="Who"
		options={findPeople}
		problem={errors.person}
		called={mover ? mover.name : f.person}
		bind:value={f.person}
	/>
	<Field label="When"
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.when}
				><option value="now">now</option><option value="day">from a day on</option></select
			>{/snippet}</Field
	>
	{#if f.when === 'day'}<WhenField label="From" {zone} {now} problem={errors.on} bind:value={f.on} />{/if}
	<Field label="Site" problem={errors.site}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
				>{#if !mover}<option value="">as it is</option>{/if}{#each sites as s (s.id)}<option value={s.id}
						>{s.name}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<PickField label="Home team" none="as it is" options={teams} problem={errors.team} bind:value={f.team} />
	<div>
		<PickManyField label="Also in" none="no other team" options={teams} problem={errors.teams} bind:value={f.teams} />
	</div>
	<Field label="A machine of their own" problem={errors.pool}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.pool}
				><option value="">as it is</option>{#each pools as s (s.id)}<option value={s.id}>{s.name}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<Field label="An endpoint" problem={errors.device}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.device}
				><option value="none">as it is</option><option value="keep">one that is free there</option></select
			>{/snippet}</Field
	>
	<div class="col-span-4"><FormEnd {form} {close} words="Plan the move" /></div>
</form>
