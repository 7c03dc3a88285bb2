<script lang="ts">
	import { untrack } from 'svelte';
	import ManyField from '$lib/ui/forms/ManyField.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { SPAN } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	/** How operators sign in, and who reads the record of it. */
	interface Props {
		policy: { factorFor: string[]; idle: number; most: number; auditorsAlone: boolean };
		roles: { id: string; name: string }[];
	}
	let { policy, roles }: Props = $props();
	const form = new PlanForm({
		kind: 'operators.sign-in',
		start: untrack(() => ({
			factorFor: [...policy.factorFor],
			idle: policy.idle as number | Unread,
			most: policy.most as number | Unread
		})),
		input: (f) => ({ ...f, factorFor: [...f.factorFor] }),
		holds: true
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<form class="mt-1 grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate aria-label="How operators sign in">
	<div class="col-span-2">
		<ManyField
			label="A second factor is asked of"
			none="no role"
			options={roles}
			problem={errors.factorFor}
			bind:value={f.factorFor}
		/>
	</div>
	<MeasureField label="Ends without use after" measure={SPAN} problem={errors.idle} bind:value={f.idle} />
	<MeasureField label="Ends in any case after" measure={SPAN} problem={errors.most} bind:value={f.most} />
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan how operators sign in" /></div>
</form>
<p class="mt-3 flex items-center gap-3 text-[13px]">
	<span class="flex-1"
		>The record of sign-ins, refusals and looks is read by {policy.auditorsAlone
			? 'auditors alone: by nobody whose role changes anything'
			: 'owners, auditors, and whose role says so'}.</span
	>
	<PlanButton
		kind="record.readers"
		input={{ auditorsAlone: !policy.auditorsAlone }}
		words={policy.auditorsAlone ? 'Let owners read it, too' : 'Auditors alone'}
	/>
</p>
