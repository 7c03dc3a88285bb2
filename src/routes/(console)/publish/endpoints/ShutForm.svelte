<script lang="ts">
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Shuts an endpoint out: lost, stolen, given away. */
	let { device, close }: { device: { id: number; name: string }; close: string } = $props();
	const form = new PlanForm({
		kind: 'endpoint.shut-out',
		start: { why: '' },
		input: (f) => ({ endpoints: [device.id], why: f.why }),
		wrong: (f) => (f.why.trim() ? {} : { why: 'Say why.' }),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	Shut {device.name} out <small>its certificate is revoked; no rule lets it in until somebody does</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField label="Why" hint="lost, stolen, given away" problem={form.errors.why} bind:value={f.why} />
	<div class="col-span-3"><FormEnd {form} words="Plan to shut it out" {close} /></div>
</form>
