<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import Channels from '$lib/ui/forms/Channels.svelte';
	import GrantSpan from '$lib/ui/forms/GrantSpan.svelte';
	import { findPeopleToCome } from '$lib/ui/forms/finding';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	interface Props {
		publications: { id: string; internalName: string; personal: boolean }[];
		teams: { id: string; name: string }[];
		zone: string;
		now: number;
		close: string;
	}
	let { publications, teams, zone, now, close }: Props = $props();
	const form = new PlanForm({
		kind: 'grant.add',
		start: untrack(() => ({
			publication: publications[0]?.id ?? '',
			to: 'team',
			team: teams[0]?.id ?? '',
			person: '',
			kind: 'required',
			from: '',
			until: '',
			machines: '1',
			channels: ['clipboard'] as string[]
		})),
		input: (f) => ({
			publication: f.publication,
			...(f.to === 'team' ? { team: f.team } : { person: f.person.trim() }),
			kind: f.kind,
			machines: Number(f.machines),
			conditions: { ...(f.from ? { from: f.from } : {}), ...(f.until ? { to: f.until } : {}) },
			channels: f.channels
		}),
		wrong: (f) => (f.to === 'person' && !f.person.trim() ? { person: 'Choose somebody.' } : {}),
		parts: { make: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const personal = $derived(publications.find((p) => p.id === f.publication)?.personal ?? false);
</script>

<h3 class="head">Grant a publication <small>further conditions are set in Secure</small></h3>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<PickField
		label="Publication"
		problem={errors.publication}
		options={publications.map((x) => ({ id: x.id, name: x.internalName }))}
		bind:value={f.publication}
	/>
	<Field label="To" problem={undefined}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.to}
				><option value="team">a team</option><option value="person">a person</option></select
			>{/snippet}</Field
	>
	{#if f.to === 'team'}
		<PickField label="Team" problem={errors.team} options={teams} bind:value={f.team} />
	{:else}
		<PickField label="Person" problem={errors.person} options={findPeopleToCome} bind:value={f.person} />
	{/if}
	<Field label="It is" problem={errors.kind}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.kind}
				><option value="required">required: placed on their shelf</option><option value="optional"
					>optional: they fetch it</option
				></select
			>{/snippet}</Field
	>
	<GrantSpan {zone} {now} {errors} bind:from={f.from} bind:to={f.until} />
	{#if personal}<TextField
			label="Machines each"
			problem={errors.machines}
			type="number"
			min="1"
			bind:value={f.machines}
		/>{/if}
	<fieldset>
		<legend class="text-ink2 text-[12.5px]">Channels</legend>
		<Channels bind:channels={f.channels} />
	</fieldset>
	<div class="col-span-4"><FormEnd {form} words="Plan the grant" {close} /></div>
</form>
