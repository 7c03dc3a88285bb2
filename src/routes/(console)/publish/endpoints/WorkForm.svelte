<script lang="ts">
	import { countWords } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Does something on all endpoints of a scope that are awake. */
	let { endpoints, close }: { endpoints: number[]; close: string } = $props();
	type Work = 'endpoint.show' | 'endpoint.lock' | 'endpoint.restart';
	const form = new PlanForm({
		kind: (f: { what: Work }) => f.what,
		start: { what: 'endpoint.show' as Work, text: '' },
		input: (f) => ({ endpoints, ...(f.what === 'endpoint.show' ? { text: f.text } : {}) }),
		wrong: (f) => (f.what !== 'endpoint.show' || f.text.trim() ? {} : { text: 'Write what they should read.' }),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	{countWords(endpoints.length, 'endpoint')} of this scope <small>those that are awake and let in</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="What is done" problem={form.errors.what}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.what}
				><option value="endpoint.show">show a text on their screens</option><option value="endpoint.lock"
					>lock their screens</option
				><option value="endpoint.restart">restart them</option></select
			>{/snippet}</Field
	>
	{#if f.what === 'endpoint.show'}<div class="col-span-2">
			<TextField label="What they should read" problem={form.errors.text} bind:value={f.text} />
		</div>{/if}
	<div class="col-span-3"><FormEnd {form} words="Plan it" {close} /></div>
</form>
