<script lang="ts">
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Says where endpoints are to call: what networks tell them is held against it. */
	let { address, close }: { address: string; close: string } = $props();
	const form = new PlanForm({
		kind: 'endpoint.called-at',
		start: untrack(() => ({ address })),
		input: (f) => ({ ...f }),
		holds: true,
		parts: { make: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	Where endpoints call <small>every site is looked at for whether its network tells them so; empty: none is</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField
		label="Host and port"
		hint="such as sextant.kept.example:8443"
		problem={form.errors.address}
		bind:value={f.address}
	/>
	<div class="col-span-3"><FormEnd {form} words="Plan the address" {close} /></div>
</form>
