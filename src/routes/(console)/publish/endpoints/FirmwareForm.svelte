<script lang="ts">
	import { untrack } from 'svelte';
	import { sizeWords } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Wishes a version of firmware for the endpoints of a model that stand in a branch. */
	interface Props {
		branches: readonly { id: string; name: string; path: string }[];
		/** Versions that can be had. */
		versions: readonly { model: string; version: string; bytes: number }[];
		/** The branch that is looked at. */
		here: string | null;
		close: string;
	}
	let { branches, versions, here, close }: Props = $props();
	const models = $derived([...new Set(versions.map((x) => x.model))].sort());
	const form = new PlanForm({
		kind: 'firmware.want',
		start: untrack(() => ({
			branch: here ?? branches[0]?.id ?? '',
			model: models[0] ?? '',
			version: '',
			thin: 'no' as 'no' | 'yes'
		})),
		input: (f) => ({ branch: f.branch, model: f.model, version: f.version, thin: f.thin === 'yes' }),
		wrong: (f) => ({
			...(f.branch ? {} : { branch: 'Choose a branch.' }),
			...(f.model ? {} : { model: 'Choose a model.' }),
			...(versions.some((x) => x.model === f.model && x.version === f.version) ? {} : { version: 'Choose a version.' })
		}),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h2 class="head">
	Firmware of a branch <small>what is said nearest above an endpoint counts; it takes it when nobody is on it</small>
</h2>
{#if versions.length}
	<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
		<Field label="Branch" problem={errors.branch}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.branch}
					>{#each branches as b (b.id)}<option value={b.id}>{b.path}</option>{/each}</select
				>{/snippet}</Field
		>
		<Field label="Model" problem={errors.model}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.model}
					>{#each models as m (m)}<option value={m}>{m}</option>{/each}</select
				>{/snippet}</Field
		>
		<Field label="Version" problem={errors.version}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.version}
					><option value="">choose</option>{#each versions.filter((x) => x.model === f.model) as x (x.version)}<option
							value={x.version}>{x.version}, {sizeWords(x.bytes)}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<Field label="Thin links" problem={errors.thin}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.thin}
					><option value="no">not over them</option><option value="yes">over them as well</option></select
				>{/snippet}</Field
		>
		<div class="col-span-4"><FormEnd {form} words="Plan the firmware" {close} /></div>
	</form>
{:else}<p class="text-ink2 mt-1 text-[13.5px]">
		No firmware can be had. <a class="link" href={close}>Leave it</a>
	</p>{/if}
