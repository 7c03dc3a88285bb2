<script lang="ts">
	import { Select } from 'bits-ui';
	import Field from './Field.svelte';

	interface Props {
		label: string;
		/** What it means when nothing is chosen. */
		none: string;
		options: { id: string; name: string }[];
		problem?: string | undefined;
		value: string[];
	}
	let { label, none, options, problem, value = $bindable() }: Props = $props();
	const words = $derived(options.filter((o) => value.includes(o.id)).map((o) => o.name));
</script>

<Field {label} {problem}
	>{#snippet children(p)}
		<Select.Root type="multiple" bind:value items={options.map((o) => ({ value: o.id, label: o.name }))}>
			<Select.Trigger {...p} class="field flex items-center gap-2 text-left"
				><span class="truncate">{words.join(', ') || none}</span><span class="text-ink3 ml-auto" aria-hidden="true"
					>▾</span
				></Select.Trigger
			>
			<!-- Not in a portal: what is chosen belongs to the form’s own part of the page. -->
			<Select.Content
				sideOffset={4}
				class="border-hair bg-sheet z-50 max-h-[260px] w-[var(--bits-select-anchor-width)] overflow-auto rounded-md border py-1 shadow-lg"
			>
				{#each options as o (o.id)}
					<Select.Item
						value={o.id}
						label={o.name}
						class="data-highlighted:bg-seawash flex cursor-default items-center gap-2 px-2 py-1 text-[13.5px]"
						>{#snippet children({ selected })}<span class="text-sea w-3" aria-hidden="true">{selected ? '✓' : ''}</span
							>{o.name}{/snippet}</Select.Item
					>
				{/each}
			</Select.Content>
		</Select.Root>
	{/snippet}</Field
>
