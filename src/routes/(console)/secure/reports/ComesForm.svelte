<script lang="ts">
	import { untrack } from 'svelte';
	import { DAY } from '$lib/core/time/units';
	import { localMoment } from '$lib/core/time/written';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Lets a report be made again and again. */
	let { report, asksWhy, zone, now }: { report: string; asksWhy: boolean; zone: string; now: number } = $props();
	const usual = [
		{ words: 'every Monday', rule: 'FREQ=WEEKLY;BYDAY=MO' },
		{ words: 'every working day', rule: 'FREQ=WEEKLY;BYDAY=MO,TU,WE,TH,FR' },
		{ words: 'on the first of each month', rule: 'FREQ=MONTHLY;BYMONTHDAY=1' },
		{ words: 'every day', rule: 'FREQ=DAILY' }
	];
	const form = new PlanForm({
		kind: 'report.schedule',
		start: untrack(() => ({
			rule: usual[0]!.rule,
			begins: `${localMoment(zone, now + DAY).slice(0, 10)}T06:00`,
			why: ''
		})),
		input: (f) => ({ report, rule: f.rule, begins: f.begins, zone, ...(asksWhy ? { why: f.why } : {}) }),
		foresee: false
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<form class="mt-1" onsubmit={form.submit} novalidate aria-label="Again and again">
	<Field label="How often" problem={undefined}
		>{#snippet children(p)}<select
				{...p}
				class="field"
				onchange={(e) => e.currentTarget.value && (f.rule = e.currentTarget.value)}
				>{#each usual as u (u.rule)}<option value={u.rule} selected={u.rule === f.rule}>{u.words}</option>{/each}<option
					value=""
					selected={!usual.some((u) => u.rule === f.rule)}>by the rule written below</option
				></select
			>{/snippet}</Field
	>
	<TextField label="Rule" hint="RFC 5545" problem={errors.rule} bind:value={f.rule} />
	<WhenField label="First time" time {zone} {now} problem={errors.begins} bind:value={f.begins} />
	{#if asksWhy}<TextField label="Why" hint="On record each time." problem={errors.why} bind:value={f.why} />{/if}
	<FormEnd {form} main={false} words="Plan the schedule" foresee={false} />
</form>
