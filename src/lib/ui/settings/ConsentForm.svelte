<script lang="ts">
	import { untrack } from 'svelte';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { BOUND, UNBOUND } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	interface Props {
		rules: { kinds: string[]; people: number | null; sessions: number | null; machines: number | null };
		/** Every kind of plan, with what it does. */
		kinds: readonly { id: string; name: string }[];
	}
	let { rules, kinds }: Props = $props();
	const bound = (n: number | null): number | Unread => n ?? UNBOUND;
	const kept = (n: number | Unread) => (n === UNBOUND ? null : n);
	const form = new PlanForm({
		kind: 'consent.rules',
		start: untrack(() => ({
			kinds: [...rules.kinds],
			people: bound(rules.people),
			sessions: bound(rules.sessions),
			machines: bound(rules.machines)
		})),
		input: (f) => ({
			kinds: [...f.kinds],
			people: kept(f.people),
			sessions: kept(f.sessions),
			machines: kept(f.machines)
		}),
		holds: true
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<form class="mt-1 grid grid-cols-3 gap-x-3" onsubmit={form.submit} novalidate aria-label="What waits for consent">
	<div class="col-span-3 mb-2">
		<PickManyField
			label="Plans that"
			options={kinds}
			none="none by their kind: pick what they do"
			problem={errors.kinds}
			bind:value={f.kinds}
		/>
	</div>
	<MeasureField label="More people than" measure={BOUND} problem={errors.people} bind:value={f.people} />
	<MeasureField label="More sessions ended than" measure={BOUND} problem={errors.sessions} bind:value={f.sessions} />
	<MeasureField label="More machines than" measure={BOUND} problem={errors.machines} bind:value={f.machines} />
	<div class="col-span-3"><FormEnd {form} main={false} words="Plan what waits" /></div>
</form>
