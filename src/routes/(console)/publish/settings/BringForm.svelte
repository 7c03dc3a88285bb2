<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Brings groups from a file, or from what is pasted. */
	interface Props {
		close: string;
	}
	let { close }: Props = $props();
	const form = new PlanForm({
		kind: 'settings.bring',
		start: { text: '', others: 'stay' as 'stay' | 'go' },
		input: (f) => ({ text: f.text, others: f.others }),
		wrong: (f) => (f.text.trim() ? {} : { text: 'Choose a file, or paste what stands in it.' }),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	async function take(e: Event & { currentTarget: HTMLInputElement }) {
		const file = e.currentTarget.files?.[0];
		if (file) f.text = await file.text();
	}
</script>

<h2 class="head">
	Bring settings groups <small>those of the file are put in the place of those that are there</small>
</h2>
<form class="mt-2" onsubmit={form.submit} novalidate>
	<div class="grid grid-cols-2 gap-x-4">
		<Field label="A file" problem={undefined}
			>{#snippet children(p)}<input
					{...p}
					class="field"
					type="file"
					accept=".yaml,.yml"
					onchange={take}
				/>{/snippet}</Field
		>
		<Field label="Groups that it does not have" problem={form.errors.others}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.others}
					><option value="stay">stay as they are</option><option value="go">go</option></select
				>{/snippet}</Field
		>
	</div>
	<Field label="What stands in it" problem={form.errors.text}
		>{#snippet children(p)}<textarea
				{...p}
				class="field h-[180px] font-mono text-[12.5px]"
				spellcheck="false"
				bind:value={f.text}></textarea>{/snippet}</Field
	>
	<FormEnd {form} words="Plan to bring them" {close} />
</form>
