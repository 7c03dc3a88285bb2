<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import { draftFrom } from '$lib/ui/plan/draft';
	import TextField from '$lib/ui/forms/TextField.svelte';

	interface Publication {
		id: string;
		name: string;
		internalName: string;
		icon: string;
		protocol: string;
		pools: string[];
	}
	interface Props {
		pools: { id: string; name: string }[];
		/** The publication to change; null to make one. */
		edit: Publication | null;
		close: string;
	}
	let { pools, edit, close }: Props = $props();
	const empty = { name: '', internalName: '', icon: 'desktop', protocol: 'stream', pools: [] as string[] };
	// svelte-ignore state_referenced_locally
	let f = $state(edit ? { ...edit, pools: [...edit.pools] } : empty);
	let errors: Record<string, string> = $state({});
	const ICONS = ['desktop', 'chart', 'watch', 'wave', 'ledger', 'ship'];

	async function plan(e: SubmitEvent) {
		e.preventDefault();
		errors = {};
		errors = await draftFrom(edit ? 'publication.change' : 'publication.create', f, { make: null, edit: null });
	}
</script>

<h3 class="head">
	{#if edit}Change {edit.internalName} <small>sessions that are open stay open</small>
	{:else}Publish a desktop <small>nobody sees it until it is granted</small>{/if}
</h3>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={plan} novalidate>
	<TextField label="Name for people" problem={errors.name} bind:value={f.name} />
	<TextField label="Name for us" problem={errors.internalName} bind:value={f.internalName} />
	<Field label="Icon" problem={errors.icon}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.icon}
				>{#each ICONS as i (i)}<option>{i}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Display protocol" problem={errors.protocol}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.protocol}
				><option>stream</option><option>framebuffer</option><option>spice</option></select
			>{/snippet}</Field
	>
	<fieldset class="col-span-4">
		<legend class="text-ink2 text-[12.5px]">Served by, in this order</legend>
		<div class="flex flex-wrap gap-x-5 gap-y-1 text-[13px]">
			{#each pools as p (p.id)}<label class="flex items-center gap-1.5"
					><input type="checkbox" value={p.id} bind:group={f.pools} />{p.name}</label
				>{/each}
		</div>
		<p class="text-buoy text-[12.5px]" role="alert">{errors.pools ?? ''}</p>
	</fieldset>
	<div class="col-span-4 mt-1 flex items-center gap-3">
		<button class="btn btn-go">Plan the {edit ? 'change' : 'publication'}</button><a class="btn btn-plain" href={close}
			>Leave it</a
		><span class="text-buoy text-[12.5px]" role="alert">{errors.form ?? ''}</span>
	</div>
</form>
