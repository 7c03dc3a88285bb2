<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import type { Giving } from './parts';

	/** What somebody, or a token, is given: a role, the part of the estate that it is for, and its end. */
	interface Props extends Giving {
		errors: Record<string, string>;
		f: { role: string; picked: string[]; ends: string };
	}
	let { roles, options, zone, now, errors, f = $bindable() }: Props = $props();
</script>

<Field label="Role" problem={errors.role}
	>{#snippet children(p)}<select {...p} class="field" bind:value={f.role}
			>{#each roles as r (r.id)}<option value={r.id}>{r.name}</option>{/each}</select
		>{/snippet}</Field
>
<WhenField label="To the end of" {zone} {now} empty="for good" problem={errors.ends} bind:value={f.ends} />
<div class="col-span-2 mb-2">
	<PickManyField
		label="For"
		{options}
		none="the whole estate: pick sites, teams, pools or image lines"
		problem={errors.part}
		bind:value={f.picked}
	/>
</div>
