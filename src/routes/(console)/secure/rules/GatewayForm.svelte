<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** An inner gateway: the site that it stands in, and where it answers. */
	interface Props {
		edited: { id: string; name: string; site: string; address: string } | null;
		sites: readonly { id: string; name: string }[];
		close: string;
	}
	let { edited, sites, close }: Props = $props();
	const form = new PlanForm({
		kind: 'inner-gateway.put',
		// svelte-ignore state_referenced_locally
		start: { name: edited?.name ?? '', site: edited?.site ?? '', address: edited?.address ?? '' },
		input: (f) => ({ ...(edited ? { id: edited.id } : {}), ...f }),
		wrong: (f) => ({ site: f.site ? undefined : 'Choose a site.' }),
		// svelte-ignore state_referenced_locally
		holds: edited !== null,
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	{edited ? `Change ${edited.name}` : 'An inner gateway'}
	<small>it stands beside private services and lets people through</small>
</h2>
<form class="mt-2" onsubmit={form.submit} novalidate>
	<div class="grid grid-cols-3 gap-x-4">
		<TextField label="Name" problem={form.errors.name} bind:value={f.name} />
		<Field label="Site" problem={form.errors.site}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
					><option value="">choose …</option>{#each sites as s (s.id)}<option value={s.id}>{s.name}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<TextField
			label="Where it answers"
			placeholder="gate.example:8443"
			problem={form.errors.address}
			bind:value={f.address}
		/>
	</div>
	<FormEnd {form} words={edited ? 'Plan to change it' : 'Plan to add it'} {close} />
</form>
