<script lang="ts">
	import type { HTMLInputAttributes } from 'svelte/elements';
	import { untrack } from 'svelte';
	import Field from './Field.svelte';
	import type { Measure } from './measures';
	import { Unread } from './unread';

	/** A duration, a size, a share or an amount, understood as people type it: what was made of it stands beside the label. */
	interface Props extends Omit<HTMLInputAttributes, 'value' | 'class' | 'onchange' | 'oninput'> {
		label: string;
		measure: Measure;
		problem?: string | undefined;
		hint?: string;
		bare?: boolean;
		value: number | Unread;
	}
	let { label, measure, problem, hint, bare = false, value = $bindable(), ...rest }: Props = $props();
	let text = $state(untrack(() => (value instanceof Unread ? value.written : measure.words(value))));
	let left = $state(true);
	// Set from elsewhere: shown in words.
	$effect(() => {
		const given = value;
		untrack(() => {
			if (!(given instanceof Unread) && measure.read(text) !== given) text = measure.words(given);
		});
	});
	function write() {
		left = false;
		const read = measure.read(text.trim());
		value = read ?? new Unread(text, measure.problem);
	}
	function leave() {
		left = true;
		if (!(value instanceof Unread)) text = measure.words(value);
	}
	// An empty field is no mistake until the form is sent.
	const own = $derived(left && value instanceof Unread && value.written.trim() !== '' ? value.problem : undefined);
	const understood = $derived(
		!left && !(value instanceof Unread) && measure.words(value) !== text.trim() ? measure.words(value) : undefined
	);
	const said = $derived(understood ? `= ${understood}` : hint);
</script>

<Field {label} {bare} problem={problem ?? own} {...said === undefined ? {} : { hint: said }}
	>{#snippet children(p)}<input
			{...p}
			{...rest}
			class="field"
			bind:value={text}
			oninput={write}
			onblur={leave}
		/>{/snippet}</Field
>
