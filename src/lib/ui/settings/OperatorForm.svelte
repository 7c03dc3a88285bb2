<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	let { roles }: { roles: readonly string[] } = $props();
	const form = new PlanForm({
		kind: 'operator.add',
		start: { login: '', name: '', role: 'helpdesk', password: '' },
		input: (f) => ({ ...f })
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h3 class="head mt-3">Add an operator</h3>
<form class="grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate>
	<TextField label="Login" problem={errors.login} autocomplete="off" bind:value={f.login} />
	<TextField label="Name" problem={errors.name} autocomplete="off" bind:value={f.name} />
	<Field label="Role" problem={errors.role}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.role}
				>{#each roles as r (r)}<option>{r}</option>{/each}</select
			>{/snippet}</Field
	>
	<TextField
		label="First password"
		problem={errors.password}
		type="password"
		autocomplete="new-password"
		bind:value={f.password}
	/>
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan the operator" /></div>
</form>
