<script lang="ts">
	import { untrack } from 'svelte';
	import { countWords } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Does something with all endpoints of a scope, or with those of them that are awake. */
	interface Props {
		all: number[];
		awake: number[];
		branches: { id: string; path: string }[];
		close: string;
	}
	let { all, awake, branches, close }: Props = $props();
	const WORK = {
		'endpoint.show': 'show a text on their screens',
		'endpoint.lock': 'lock their screens',
		'endpoint.restart': 'restart them',
		'endpoint.move': 'move them into a branch',
		'endpoint.shut-out': 'shut them out',
		'endpoint.forget': 'forget them'
	} as const;
	type Work = keyof typeof WORK;
	/** What takes a device that is awake. */
	const ASKS: ReadonlySet<Work> = new Set(['endpoint.show', 'endpoint.lock', 'endpoint.restart']);
	const form = new PlanForm({
		kind: (f: { what: Work }) => f.what,
		start: untrack(() => ({ what: 'endpoint.show' as Work, text: '', branch: branches[0]?.id ?? '', why: '' })),
		input: (f) => ({
			endpoints: ASKS.has(f.what) ? awake : all,
			...(f.what === 'endpoint.show' ? { text: f.text } : {}),
			...(f.what === 'endpoint.move' ? { branch: f.branch } : {}),
			...(f.what === 'endpoint.shut-out' ? { why: f.why } : {})
		}),
		wrong: (f) => ({
			...(f.what === 'endpoint.show' && !f.text.trim() ? { text: 'Write what they should read.' } : {}),
			...(f.what === 'endpoint.shut-out' && !f.why.trim() ? { why: 'Say why.' } : {}),
			...(ASKS.has(f.what) && awake.length === 0 ? { what: 'None of them is awake.' } : {})
		}),
		parts: { make: null, edit: null }
	});
	const f = form.f;
</script>

<h2 class="head">
	{countWords(all.length, 'endpoint')} of this scope <small>{awake.length} of them awake</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="What is done" problem={form.errors.what}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.what}
				>{#each Object.entries(WORK) as [kind, words] (kind)}<option value={kind}>{words}</option>{/each}</select
			>{/snippet}</Field
	>
	{#if f.what === 'endpoint.show'}<div class="col-span-2">
			<TextField label="What they should read" problem={form.errors.text} bind:value={f.text} />
		</div>{:else if f.what === 'endpoint.move'}<Field label="Into" problem={form.errors.branch}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.branch}
					>{#each branches as b (b.id)}<option value={b.id}>{b.path}</option>{/each}</select
				>{/snippet}</Field
		>{:else if f.what === 'endpoint.shut-out'}<TextField
			label="Why"
			hint="stolen, given away"
			problem={form.errors.why}
			bind:value={f.why}
		/>{/if}
	<div class="col-span-3"><FormEnd {form} words="Plan it" {close} /></div>
</form>
