<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Keeps a personal pool for a team. */
	interface Props {
		pools: { id: string; name: string }[];
		teams: { id: string; name: string }[];
		publications: { id: string; name: string }[];
		employments: string[];
		kept: {
			pool: string;
			team: string;
			employment: string | null;
			publication: string | null;
			aheadDays: number;
		} | null;
		close: string;
	}
	let { pools, teams, publications, employments, kept, close }: Props = $props();
	const form = new PlanForm({
		kind: 'pool.keep-for',
		holds: untrack(() => kept !== null),
		start: untrack(() => ({
			pool: kept?.pool ?? pools[0]?.id ?? '',
			team: kept?.team ?? '',
			employment: kept?.employment ?? '',
			publication: kept?.publication ?? '',
			aheadDays: String(kept?.aheadDays ?? 3)
		})),
		input: (f) => ({
			pool: f.pool,
			team: f.team,
			employment: f.employment || null,
			publication: f.publication || null,
			aheadDays: Number(f.aheadDays)
		}),
		wrong: (f) => ({
			...(f.team ? {} : { team: 'Choose a team.' }),
			...(/^\d{1,2}$/.test(f.aheadDays.trim()) ? {} : { aheadDays: 'Write whole days, such as 3.' })
		}),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h2 class="head">
	Keep a pool for a team <small
		>a machine for each of its people who holds what it asks for, made when they come, taken back when they go</small
	>
</h2>
<form class="mt-2 grid grid-cols-5 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="Pool" problem={errors.pool}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.pool}
				>{#each pools as s (s.id)}<option value={s.id}>{s.name}</option>{/each}</select
			>{/snippet}</Field
	>
	<PickField label="Team" none="choose" options={teams} problem={errors.team} bind:value={f.team} />
	<Field label="Asks for employment" problem={errors.employment}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.employment}
				><option value="">any</option>{#each employments as e (e)}<option>{e}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Asks that they hold" problem={errors.publication}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.publication}
				><option value="">nothing</option>{#each publications as x (x.id)}<option value={x.id}>{x.name}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<TextField label="Days ahead of the first" problem={errors.aheadDays} bind:value={f.aheadDays} />
	<div class="col-span-5"><FormEnd {form} words="Plan to keep it" {close} /></div>
</form>
