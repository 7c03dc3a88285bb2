<script lang="ts">
	import { untrack } from 'svelte';
	import ManyField from '$lib/ui/forms/ManyField.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { DAYS } from '$lib/ui/forms/measures';
	import { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	interface Props {
		policy: { passkeys: boolean; ownDays: number; ownFor: string[] };
		/** Kinds of employment that there are. */
		employments: readonly string[];
	}
	let { policy, employments }: Props = $props();
	const form = new PlanForm({
		kind: 'portal.sign-in',
		start: untrack(() => ({
			passkeys: policy.passkeys,
			ownDays: policy.ownDays as number | Unread,
			ownFor: [...policy.ownFor]
		})),
		input: (f) => ({ ...f, ownFor: [...f.ownFor] }),
		holds: true
	});
	const f = form.f;
</script>

<form class="mt-2 grid grid-cols-2 gap-x-3" onsubmit={form.submit} novalidate>
	<MeasureField
		label="Signed in on own devices"
		hint="without use"
		measure={DAYS}
		problem={form.errors.ownDays}
		bind:value={f.ownDays}
	/>
	<ManyField
		label="Own devices, for"
		none="everybody"
		options={employments.map((e) => ({ id: e, name: e }))}
		problem={form.errors.ownFor}
		bind:value={f.ownFor}
	/>
	<label class="col-span-2 mt-1 mb-1 flex items-center gap-2 text-[13px]"
		><input type="checkbox" bind:checked={f.passkeys} />Passkeys are taken, in place of a password and a second factor</label
	>
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan how people sign in" /></div>
</form>
