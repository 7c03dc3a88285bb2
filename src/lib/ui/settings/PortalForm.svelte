<script lang="ts">
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	let { address, usual }: { address: string; usual: string } = $props();
	const form = new PlanForm({
		kind: 'portal.address',
		start: untrack(() => ({ address })),
		input: (f) => ({ ...f }),
		holds: true
	});
	const f = form.f;
</script>

<form class="mt-1 grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate>
	<TextField
		label="Address"
		hint={usual ? `empty: ${usual}` : 'none is known'}
		problem={form.errors.address}
		bind:value={f.address}
	/>
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan the address" /></div>
</form>
