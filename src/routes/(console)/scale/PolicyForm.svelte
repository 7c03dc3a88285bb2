<script lang="ts">
	import type { PowerPolicy } from '$lib/core/capacity/policy';
	import { durationWords, parseDuration } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import { draftFrom } from '$lib/ui/plan/draft';
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	interface Props {
		pool: { id: string; name: string; policy: PowerPolicy; hoursId: string; machines: number; perMachine: number };
		hours: { id: string; words: string }[];
		may: boolean;
	}
	let { pool, hours, may }: Props = $props();
	let f = $state(
		untrack(() => ({
			hours: pool.hoursId,
			headroomIn: pool.policy.headroomIn,
			headroomOut: pool.policy.headroomOut,
			least: pool.policy.least,
			most: pool.policy.most,
			placing: pool.policy.placing
		}))
	);
	let patience = $state(untrack(() => durationWords(pool.policy.patience)));
	let errors: Record<string, string> = $state({});

	async function plan(e: SubmitEvent) {
		e.preventDefault();
		errors = {};
		const ms = parseDuration(patience);
		if (ms === null) {
			errors.patience = 'Write a duration such as 25 min.';
			return;
		}
		errors = await draftFrom('policy.set', { pool: pool.id, ...f, patience: ms });
	}
</script>

<h2 class="head">Policy <small>acts from the next minute on</small></h2>
<form class="mt-1 flex flex-col" onsubmit={plan} novalidate>
	<fieldset disabled={!may} class="contents">
		<Field label="Working hours" problem={errors.hours}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.hours}
					>{#each hours as h (h.id)}<option value={h.id}>{h.id}: {h.words}</option>{/each}</select
				>{/snippet}</Field
		>
		<div class="grid grid-cols-2 gap-x-3">
			<TextField
				label="Places ready in hours"
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
			<TextField label="Switch off after idle for" problem={errors.patience} bind:value={patience} />
			<Field label="New sessions go" problem={errors.placing}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.placing}
						><option value="fill">fill: fewer machines up</option><option value="spread">spread: more room each</option
						></select
					>{/snippet}</Field
			>
		</div>
	</fieldset>
	{#if may}<div class="mt-1 flex items-center gap-3">
			<button class="btn btn-go">Plan this policy</button><span class="text-buoy text-[12.5px]" role="alert"
				>{errors.form ?? ''}</span
			>
		</div>{/if}
</form>
