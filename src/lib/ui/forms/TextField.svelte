<script lang="ts">
	import type { HTMLInputAttributes } from 'svelte/elements';
	import Field from './Field.svelte';

	/** A line of text with its label, and what is wrong with it beside it. Takes what an input takes. */
	interface Props extends Omit<HTMLInputAttributes, 'value' | 'class'> {
		label: string;
		problem?: string | undefined;
		hint?: string;
		value?: string | number | null;
	}
	let { label, problem, hint, value = $bindable(''), ...rest }: Props = $props();
</script>

<Field {label} {problem} {...hint === undefined ? {} : { hint }}
	>{#snippet children(p)}<input {...p} {...rest} class="field" bind:value />{/snippet}</Field
>
