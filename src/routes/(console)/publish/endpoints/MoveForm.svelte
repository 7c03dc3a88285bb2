<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Puts an endpoint into a branch by hand, or lets in one that waits. */
	interface Props {
		device: { id: number; name: string; branch: string | null };
		branches: { id: string; path: string }[];
		close: string;
	}
	let { device, branches, close }: Props = $props();
	const form = new PlanForm({
		kind: 'endpoint.move',
		start: untrack(() => ({ branch: device.branch ?? branches[0]?.id ?? '' })),
		input: (f) => ({ endpoints: [device.id], branch: f.branch }),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	{device.branch === null ? `Let ${device.name} in` : `Move ${device.name}`}
	<small>a rule may take it back at its next start: the plan says so</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="Into" problem={form.errors.branch}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.branch}
				>{#each branches as b (b.id)}<option value={b.id}>{b.path}</option>{/each}</select
			>{/snippet}</Field
	>
	<div class="col-span-3">
		<FormEnd {form} words={device.branch === null ? 'Plan to let it in' : 'Plan the move'} {close} />
	</div>
</form>
