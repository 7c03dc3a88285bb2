<script lang="ts">
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { partOf, type Giving } from './parts';
	import RoleFields from './RoleFields.svelte';
	import { newTokenSecret } from './token-secret';

	let giving: Giving = $props();
	let made = newTokenSecret();
	/** Of the plan that was drafted last. */
	let shown: { name: string; secret: string } | null = $state(null);
	const form = new PlanForm({
		kind: 'token.create',
		start: { name: '', role: 'helpdesk', picked: [] as string[], ends: '' },
		input: ({ picked, ends, ...f }) => ({ ...f, part: partOf(picked), ends: ends || null, hash: made.hash })
	});
	const f = form.f;
	const errors = $derived(form.errors);

	async function submit(e: SubmitEvent) {
		if (!(await form.submit(e))) return;
		shown = { name: f.name.trim(), secret: made.secret };
		// No two tokens have the same.
		made = newTokenSecret();
	}
</script>

{#if shown}
	<p class="bg-sandwash mt-2 rounded px-3 py-2 text-[13px]" role="status">
		The secret of {shown.name}, shown this once; it works as soon as the plan is committed:
		<code class="font-mono break-all">{shown.secret}</code>
	</p>
{/if}
<form class="mt-2 grid grid-cols-2 gap-x-3" onsubmit={submit} novalidate>
	<div class="col-span-2">
		<TextField label="Name" problem={errors.name} autocomplete="off" bind:value={f.name} />
	</div>
	<RoleFields {...giving} {errors} {f} />
	<div class="col-span-2"><FormEnd {form} main={false} words="Plan a token" /></div>
</form>
