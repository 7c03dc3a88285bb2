<script lang="ts">
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	let { heads }: { heads: { mail: string; hook: string } } = $props();
	const form = new PlanForm({
		kind: 'record.heads',
		// As it stood when the page was opened: what is being typed is nobody else's to change.
		start: untrack(() => ({ ...heads })),
		input: (f) => ({ ...f }),
		holds: true
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<form class="mt-1 grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate>
	<TextField label="By mail to" hint="empty: to nobody" problem={errors.mail} bind:value={f.mail} />
	<TextField label="To a web hook" hint="https://…; empty: to none" problem={errors.hook} bind:value={f.hook} />
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan where they are sent" /></div>
</form>
