<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { partOf, type Giving } from './parts';
	import RoleFields from './RoleFields.svelte';

	/** Gives somebody who is there already another role, or the same for another part. */
	interface Props extends Giving {
		operators: readonly { login: string; name: string }[];
	}
	let { operators, ...giving }: Props = $props();
	const form = new PlanForm({
		kind: 'assignment.give',
		start: untrack(() => ({
			login: operators[0]?.login ?? '',
			role: 'helpdesk',
			picked: [] as string[],
			ends: ''
		})),
		input: (f) => ({ login: f.login, role: f.role, part: partOf(f.picked), ends: f.ends || null })
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h3 class="head mt-3">Give an operator a role <small>beside what they have: they act in one at a time</small></h3>
<form class="grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate aria-label="Give an operator a role">
	<div class="col-span-2">
		<Field label="Operator" problem={errors.login}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.login}
					>{#each operators as o (o.login)}<option value={o.login}>{o.name}</option>{/each}</select
				>{/snippet}</Field
		>
	</div>
	<RoleFields {...giving} {errors} {f} />
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan the role" /></div>
</form>
