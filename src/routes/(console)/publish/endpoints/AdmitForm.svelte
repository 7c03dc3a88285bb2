<script lang="ts">
	import { untrack } from 'svelte';
	import { ADMISSION_WORDS, ADMISSIONS, type Admission } from '$lib/core/endpoints/announced';
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Says how devices that call in for the first time from a site are let in. */
	let { site, close }: { site: { id: string | null; name: string; way: Admission }; close: string } = $props();
	const form = new PlanForm({
		kind: 'endpoint.admit',
		holds: true,
		start: untrack(() => ({ way: site.way })),
		input: (f) => ({ site: site.id, way: f.way }),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	New endpoints {site.id === null ? 'from addresses of no site' : `at ${site.name}`}
	<small>what stands in a branch already stays there</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="Are let in" problem={form.errors.way}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.way}
				>{#each ADMISSIONS as way (way)}<option value={way}>{ADMISSION_WORDS[way]}</option>{/each}</select
			>{/snippet}</Field
	>
	<div class="col-span-3"><FormEnd {form} words="Plan the change" {close} /></div>
</form>
