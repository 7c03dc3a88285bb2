<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Which private services a desktop or app does not work without. */
	interface Props {
		publication: string;
		publications: readonly { id: string; name: string }[];
		services: readonly { id: string; name: string; group: string | null }[];
		relied: Readonly<Record<string, readonly string[]>>;
		close: string;
	}
	let { publication, publications, services, relied, close }: Props = $props();
	const form = new PlanForm({
		kind: 'publication.relies-on',
		// svelte-ignore state_referenced_locally
		start: { publication, services: [...(relied[publication] ?? [])] },
		holds: true,
		input: (f) => ({ ...f }),
		wrong: (f) => ({ publication: f.publication ? undefined : 'Choose a desktop or app.' }),
		beside: (path) => path.replace(/\.\d+$/, ''),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	What a desktop or app needs inside <small>whoever is granted it and refused that is said on Today</small>
</h2>
<form class="mt-2" onsubmit={form.submit} novalidate>
	<div class="grid grid-cols-2 gap-x-4">
		<Field label="Desktop or app" problem={form.errors.publication}
			>{#snippet children(p)}<select
					{...p}
					class="field"
					bind:value={f.publication}
					onchange={() => (f.services = [...(relied[f.publication] ?? [])])}
					><option value="">choose …</option>{#each publications as x (x.id)}<option value={x.id}>{x.name}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<PickManyField
			label="Needs"
			options={services.map((s) => ({ id: s.id, name: s.name, ...(s.group === null ? {} : { sub: s.group }) }))}
			none={f.services.length ? 'add …' : 'no private service'}
			problem={form.errors.services}
			bind:value={f.services}
		/>
	</div>
	<FormEnd {form} words="Plan to say so" {close} />
</form>
