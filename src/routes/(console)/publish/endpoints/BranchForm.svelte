<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Adds a branch, or changes one. */
	interface Props {
		branches: { id: string; path: string }[];
		sites: { id: string; name: string }[];
		edit: { id: string; name: string; parent: string | null; site: string | null } | null;
		close: string;
	}
	let { branches, sites, edit, close }: Props = $props();
	const form = new PlanForm({
		kind: untrack(() => (edit ? 'branch.change' : 'branch.add')),
		holds: untrack(() => edit !== null),
		start: untrack(() => ({ name: edit?.name ?? '', parent: edit?.parent ?? '', site: edit?.site ?? '' })),
		input: (f) => ({
			...(edit ? { branch: edit.id } : {}),
			name: f.name,
			parent: f.parent || null,
			site: f.site || null
		}),
		wrong: (f) => (f.name.trim() ? {} : { name: 'Write a name.' }),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h2 class="head">
	{edit ? `Change ${edit.name}` : 'Add a branch'} <small>settings reach what stands in it and below it</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField label="Name" problem={errors.name} bind:value={f.name} />
	<Field label="Hangs below" problem={errors.parent}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.parent}
				><option value="">nothing</option>{#each branches.filter((b) => b.id !== edit?.id) as b (b.id)}<option
						value={b.id}>{b.path}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Is for the site" problem={errors.site}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
				><option value="">none</option>{#each sites as s (s.id)}<option value={s.id}>{s.name}</option>{/each}</select
			>{/snippet}</Field
	>
	<div class="col-span-3"><FormEnd {form} words={edit ? 'Plan the change' : 'Plan the branch'} {close} /></div>
</form>
