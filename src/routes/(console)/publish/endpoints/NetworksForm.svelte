<script lang="ts">
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Says in which networks the devices of a site have their addresses. */
	let { site, close }: { site: { id: string; name: string; ranges: string[] }; close: string } = $props();
	const form = new PlanForm({
		kind: 'endpoint.networks',
		holds: true,
		start: untrack(() => ({ ranges: site.ranges.join(', ') })),
		input: (f) => ({ site: site.id, ranges: f.ranges.split(/[\s,;]+/).filter((r) => r !== '') }),
		beside: (path) => (path.startsWith('ranges') ? 'ranges' : path),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	Networks of endpoints at {site.name} <small>by its address it is told which site an endpoint is at</small>
</h2>
<form class="mt-2 grid grid-cols-2 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField
		label="Ranges"
		hint="such as 10.21.4.0/22, apart by commas; empty: none is there"
		problem={form.errors.ranges}
		bind:value={f.ranges}
	/>
	<div class="col-span-2"><FormEnd {form} words="Plan the networks" {close} /></div>
</form>
