<script lang="ts">
	import type { Snippet } from 'svelte';

	interface Props {
		label: string;
		problem?: string | undefined;
		hint?: string;
		children: Snippet<[{ id: string; 'aria-invalid': boolean; 'aria-describedby': string }]>;
	}
	let { label, problem, hint, children }: Props = $props();
	const id = $props.id();
</script>

<div>
	<label for={id} class="text-ink2 text-[12.5px]"
		>{label}{#if hint}&ensp;<span class="text-ink3">{hint}</span>{/if}</label
	>
	{@render children({ id, 'aria-invalid': problem !== undefined, 'aria-describedby': `${id}-problem` })}
	<p id="{id}-problem" class="text-buoy text-[12.5px]" role={problem ? 'alert' : undefined}>{problem ?? ''}</p>
</div>
