<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Brings a file: rules with their tests (YAML), or names of web sites with their categories (CSV). */
	interface Props {
		what: 'rules' | 'categories';
		close: string;
	}
	let { what, close }: Props = $props();
	const form = new PlanForm({
		// svelte-ignore state_referenced_locally
		kind: what === 'rules' ? 'access-rules.bring' : 'site-categories.bring',
		start: { text: '', others: 'stay' as 'stay' | 'go' },
		input: (f) => (what === 'rules' ? { text: f.text } : { text: f.text, others: f.others }),
		wrong: (f) => (f.text.trim() ? {} : { text: 'Choose a file, or paste what stands in it.' }),
		parts: { make: null }
	});
	const f = form.f;
	async function take(e: Event & { currentTarget: HTMLInputElement }) {
		const file = e.currentTarget.files?.[0];
		if (file) f.text = await file.text();
	}
</script>

<h2 class="head">
	{#if what === 'rules'}Bring access rules <small>with their tests, in the place of all that there are</small>
	{:else}Bring web sites with their categories <small>a table whose columns are name and category</small>{/if}
</h2>
<form class="mt-2" onsubmit={form.submit} novalidate>
	<div class="grid grid-cols-2 gap-x-4">
		<Field label="A file" problem={undefined}
			>{#snippet children(p)}<input
					{...p}
					class="field"
					type="file"
					accept={what === 'rules' ? '.yaml,.yml' : '.csv'}
					onchange={take}
				/>{/snippet}</Field
		>
		{#if what === 'categories'}<Field label="Names that it does not have" problem={form.errors.others}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.others}
						><option value="stay">stay as they are</option><option value="go">go</option></select
					>{/snippet}</Field
			>{/if}
	</div>
	<Field label="What stands in it" problem={form.errors.text}
		>{#snippet children(p)}<textarea
				{...p}
				class="field h-[180px] font-mono text-[12.5px]"
				spellcheck="false"
				bind:value={f.text}></textarea>{/snippet}</Field
	>
	<FormEnd {form} words={what === 'rules' ? 'Plan to bring them' : 'Plan to bring the table'} {close} />
</form>
