<script lang="ts">
	import type { PowerPolicy } from '$lib/core/capacity/policy';
	import Field from '$lib/ui/forms/Field.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { SPAN } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	interface Props {
		pool: { id: string; name: string; policy: PowerPolicy; hoursId: string; machines: number; perMachine: number };
		hours: { id: string; words: string }[];
		may: boolean;
	}
	let { pool, hours, may }: Props = $props();
	const form = new PlanForm({
		kind: 'policy.set',
		start: untrack(() => ({
			hours: pool.hoursId,
			headroomIn: pool.policy.headroomIn,
			headroomOut: pool.policy.headroomOut,
			least: pool.policy.least,
			most: pool.policy.most,
			placing: pool.policy.placing,
			patience: pool.policy.patience as number | Unread
		})),
		input: (f) => ({ pool: pool.id, ...f })
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h2 class="head">Policy <small>acts from the next minute on</small></h2>
<form class="mt-1 flex flex-col" onsubmit={form.submit} novalidate>
	<fieldset disabled={!may} class="contents">
		<Field label="Working hours" problem={errors.hours}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.hours}
					>{#each hours as h (h.id)}<option value={h.id}>{h.id}: {h.words}</option>{/each}</select
				>{/snippet}</Field
		>
		<div class="grid grid-cols-2 gap-x-3">
			<TextField
				label="Seats ready in hours"
				problem={errors.headroomIn}
				type="number"
				min="0"
				bind:value={f.headroomIn}
			/>
			<TextField
				label="Ready outside them"
				problem={errors.headroomOut}
				type="number"
				min="0"
				bind:value={f.headroomOut}
			/>
			<TextField label="Never fewer machines than" problem={errors.least} type="number" min="0" bind:value={f.least} />
			<TextField
				label="Never more than"
				hint="of {pool.machines}"
				problem={errors.most}
				type="number"
				min="0"
				bind:value={f.most}
			/>
			<MeasureField
				label="Switch off after idle for"
				measure={SPAN}
				problem={errors.patience}
				bind:value={f.patience}
			/>
			<Field label="New sessions go" problem={errors.placing}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.placing}
						><option value="fill">fill: fewer machines up</option><option value="spread">spread: more room each</option
						></select
					>{/snippet}</Field
			>
		</div>
	</fieldset>
	{#if may}<FormEnd {form} words="Plan this policy" />{/if}
</form>
