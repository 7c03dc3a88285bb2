<script lang="ts">
	import { untrack } from 'svelte';
	import { findPeople } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Says why somebody's activity is looked at, before it is. */
	let { person }: { person: { login: string; name: string } | null } = $props();
	const form = new PlanForm({
		kind: 'activity.look',
		start: untrack(() => ({ person: person?.login ?? '', why: '' })),
		input: (f) => ({ ...f }),
		holds: true,
		parts: (f) => ({ person: f.person, skip: null })
	});
	const f = form.f;
</script>

<form class="mt-2" onsubmit={form.submit} novalidate>
	<PickField
		label="Whose"
		options={findPeople}
		called={person?.name ?? ''}
		problem={form.errors.person}
		bind:value={f.person}
	/>
	<TextField label="Why" hint="It stays on record, with your name." problem={form.errors.why} bind:value={f.why} />
	<FormEnd {form} words="Plan to look" />
</form>
