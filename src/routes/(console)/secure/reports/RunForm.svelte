<script lang="ts">
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Makes a report of how things are, saying why where it tells what single people reached. */
	let { report, asksWhy }: { report: string; asksWhy: boolean } = $props();
	const form = new PlanForm({
		kind: 'report.run',
		start: { why: '' },
		input: (f) => ({ report, ...(asksWhy ? { why: f.why } : {}) }),
		foresee: false
	});
	const f = form.f;
</script>

<form class="mt-1" onsubmit={form.submit} novalidate aria-label="Make it now">
	{#if asksWhy}<TextField
			label="Why"
			hint="It stays on record, with your name."
			problem={form.errors.why}
			bind:value={f.why}
		/>{/if}
	<FormEnd {form} words="Plan to make it" foresee={false} />
</form>
