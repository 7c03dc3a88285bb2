<script lang="ts">
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { partOf, type Giving } from './parts';
	import RoleFields from './RoleFields.svelte';

	let giving: Giving = $props();
	const form = new PlanForm({
		kind: 'operator.add',
		start: { login: '', name: '', role: 'helpdesk', picked: [] as string[], ends: '', password: '' },
		input: ({ picked, ends, ...f }) => ({ ...f, part: partOf(picked), ends: ends || null })
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h3 class="head mt-3">Add an operator</h3>
<form class="grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate aria-label="Add an operator">
	<TextField label="Login" problem={errors.login} autocomplete="off" bind:value={f.login} />
	<TextField label="Name" problem={errors.name} autocomplete="off" bind:value={f.name} />
	<RoleFields {...giving} {errors} {f} />
	<TextField
		label="First password"
		problem={errors.password}
		type="password"
		autocomplete="new-password"
		bind:value={f.password}
	/>
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan the operator" /></div>
</form>
