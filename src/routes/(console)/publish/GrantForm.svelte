<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import { draftFrom } from '$lib/ui/plan/draft';
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	interface Props {
		publications: { id: string; internalName: string }[];
		teams: { id: string; name: string }[];
		close: string;
	}
	let { publications, teams, close }: Props = $props();
	let f = $state(
		untrack(() => ({
			publication: publications[0]?.id ?? '',
			to: 'team',
			team: teams[0]?.id ?? '',
			person: '',
			kind: 'required',
			from: '',
			until: '',
			machines: '1',
			channels: ['clipboard'] as string[]
		}))
	);
	let errors: Record<string, string> = $state({});

	async function plan(e: SubmitEvent) {
		e.preventDefault();
		errors = {};
		errors = await draftFrom(
			'grant.add',
			{
				publication: f.publication,
				...(f.to === 'team' ? { team: f.team } : { person: f.person.trim() }),
				kind: f.kind,
				machines: Number(f.machines),
				conditions: { ...(f.from ? { from: f.from } : {}), ...(f.until ? { to: f.until } : {}) },
				channels: f.channels
			},
			{ make: null }
		);
	}
</script>

<h3 class="head">Grant a publication <small>further conditions are set in Secure</small></h3>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={plan} novalidate>
	<Field label="Publication" problem={errors.publication}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.publication}
				>{#each publications as x (x.id)}<option value={x.id}>{x.internalName}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="To" problem={undefined}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.to}
				><option value="team">a team</option><option value="person">a person</option></select
			>{/snippet}</Field
	>
	{#if f.to === 'team'}
		<Field label="Team" problem={errors.team}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.team}
					>{#each teams as t (t.id)}<option value={t.id}>{t.name}</option>{/each}</select
				>{/snippet}</Field
		>
	{:else}
		<TextField label="Login" problem={errors.person} bind:value={f.person} />
	{/if}
	<Field label="It is" problem={errors.kind}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.kind}
				><option value="required">required: placed on their shelf</option><option value="optional"
					>optional: they fetch it</option
				></select
			>{/snippet}</Field
	>
	<Field label="From" hint="empty: at once" problem={errors['conditions.from']}
		>{#snippet children(p)}<input {...p} type="date" class="field" bind:value={f.from} />{/snippet}</Field
	>
	<Field label="To the end of" hint="empty: for good" problem={errors['conditions.to']}
		>{#snippet children(p)}<input {...p} type="date" class="field" bind:value={f.until} />{/snippet}</Field
	>
	<TextField label="Machines each" hint="of a personal pool" problem={errors.machines} bind:value={f.machines} />
	<fieldset>
		<legend class="text-ink2 text-[12.5px]">Channels</legend>
		<div class="flex flex-wrap gap-x-3 text-[13px]">
			{#each ['clipboard', 'drives', 'printers', 'cameras', 'downloads'] as c (c)}<label class="flex items-center gap-1"
					><input type="checkbox" value={c} bind:group={f.channels} />{c}</label
				>{/each}
		</div>
	</fieldset>
	<div class="col-span-4 mt-1 flex items-center gap-3">
		<button class="btn btn-go">Plan the grant</button><a class="btn btn-plain" href={close}>Leave it</a><span
			class="text-buoy text-[12.5px]"
			role="alert">{errors.form ?? ''}</span
		>
	</div>
</form>
