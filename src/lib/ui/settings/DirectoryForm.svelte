<script lang="ts">
	import { untrack } from 'svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { SHARE } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	let { percent }: { percent: number } = $props();
	const form = new PlanForm({
		kind: 'directory.limit',
		start: untrack(() => ({ percent: percent as number | Unread })),
		input: (f) => ({ ...f }),
		holds: true
	});
	const f = form.f;
</script>

<form class="mt-1 grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate>
	<MeasureField
		label="May be moved or removed at once, of all people"
		measure={SHARE}
		problem={form.errors.percent}
		bind:value={f.percent}
	/>
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan the share" /></div>
</form>
