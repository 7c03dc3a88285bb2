<script lang="ts">
	import type { Snippet } from 'svelte';

	interface Props {
		label: string;
		problem?: string | undefined;
		hint?: string;
		/** The label is for screen readers alone: what stands around the field says what it is. */
		bare?: boolean;
		children: Snippet<[{ id: string; 'aria-invalid': boolean; 'aria-describedby': string }]>;
	}
	let { label, problem, hint, bare = false, children }: Props = $props();
	const id = $props.id();
</script>

<div>
	<label for={id} class={bare ? 'sr-only' : 'text-ink2 text-[12.5px]'}
		>{label}{#if hint}&ensp;<span class="text-ink3">{hint}</span>{/if}</label
	>
	{@render children({ id, 'aria-invalid': problem !== undefined, 'aria-describedby': `${id}-problem` })}
	<p id="{id}-problem" class="text-buoy text-[12.5px]" role={problem ? 'alert' : undefined}>{problem ?? ''}</p>
</div>
