<script lang="ts">
	import { untrack } from 'svelte';
	import { LEVELS, type Level, type Rights } from '$lib/core/access/rights';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Makes a role out of rights, or changes one that was made here. */
	interface Props {
		areas: readonly { id: keyof Rights; words: string }[];
		role: { id: string; name: string; note: string; rights: Rights } | null;
		done: () => void;
	}
	let { areas, role, done }: Props = $props();
	const form = new PlanForm({
		kind: 'role.put',
		start: untrack(() => ({
			name: role?.name ?? '',
			note: role?.note ?? '',
			rights: Object.fromEntries(
				areas.map((a) => [a.id, role?.rights[a.id] ?? (role === null && a.id === 'estate' ? 'read' : 'none')])
			) as Record<string, Level>
		})),
		input: (f) => ({
			...(role ? { id: role.id } : {}),
			name: f.name,
			note: f.note,
			rights: Object.fromEntries(Object.entries(f.rights).filter(([, level]) => level !== 'none'))
		}),
		holds: untrack(() => role !== null)
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<form class="mt-1" onsubmit={form.submit} novalidate aria-label={role ? `Change the role ${role.name}` : 'Make a role'}>
	<div class="grid grid-cols-2 gap-x-3">
		<TextField label="Name" problem={errors.name} autocomplete="off" bind:value={f.name} />
		<TextField label="What it is for" problem={errors.note} autocomplete="off" bind:value={f.note} />
	</div>
	<div class="grid grid-cols-2 gap-x-5 text-[13px]">
		{#each areas as a (a.id)}
			<label class="border-hair2 flex items-center justify-between gap-2 border-b py-0.5"
				>{a.words}<select class="field w-[88px] py-0" bind:value={f.rights[a.id]}
					>{#each LEVELS as l (l)}<option value={l}>{l === 'none' ? '–' : l}</option>{/each}</select
				></label
			>
		{/each}
	</div>
	{#if errors.rights}<p class="text-buoy mt-1 text-[12.5px]" role="alert">{errors.rights}</p>{/if}
	<div class="mt-2 flex items-start gap-2">
		<div class="flex-1"><FormEnd {form} main={false} words={role ? 'Plan the change' : 'Plan the role'} /></div>
		<button type="button" class="btn" onclick={done}>Leave it</button>
	</div>
</form>
