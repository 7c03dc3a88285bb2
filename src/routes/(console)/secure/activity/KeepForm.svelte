<script lang="ts">
	import { untrack } from 'svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { DAYS } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** For how long it is kept who reached what. */
	let { days }: { days: number } = $props();
	const form = new PlanForm({
		kind: 'activity.keep',
		start: untrack(() => ({ days: days as number | Unread })),
		input: (f) => ({ ...f }),
		holds: true
	});
	const f = form.f;
</script>

<form class="mt-1" onsubmit={form.submit} novalidate>
	<MeasureField label="Who reached what is kept for" measure={DAYS} problem={form.errors.days} bind:value={f.days} />
	<FormEnd {form} main={false} words="Plan the days" />
</form>
