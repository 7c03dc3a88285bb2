<script lang="ts">
	import { findPeopleToCome } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Keeps an endpoint for somebody. */
	let { device, close }: { device: { id: number; name: string }; close: string } = $props();
	const form = new PlanForm({
		kind: 'endpoint.keep',
		start: { person: '' },
		input: (f) => ({ give: [{ endpoint: device.id, person: f.person }] }),
		wrong: (f) => (f.person ? {} : { person: 'Say for whom.' }),
		beside: (path) => (path.endsWith('.person') ? 'person' : path),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	Keep {device.name} for somebody <small>it is offered to nobody else, and is collected once they have left</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<PickField label="For" options={findPeopleToCome} problem={form.errors.person} bind:value={f.person} />
	<div class="col-span-3"><FormEnd {form} words="Plan to keep it" {close} /></div>
</form>
