<script lang="ts">
	import PickField from './PickField.svelte';
	import type { Pickable } from './finding';

	/** Picks several by a search, one after the other; each can be left out again. */
	interface Props {
		label: string;
		options: readonly Pickable[] | ((text: string) => Promise<Pickable[]>);
		none: string;
		problem?: string | undefined;
		value: string[];
		/** What those are called that are chosen already, where the search finds them by their id alone. */
		called?: Readonly<Record<string, string>>;
		/** What stands around it says what it is: the label is for screen readers alone. */
		bare?: boolean;
	}
	let { label, options, none, problem, value = $bindable(), called = {}, bare = false }: Props = $props();
	let picked = $state('');
	const nameOf = (id: string) =>
		called[id] ?? (typeof options === 'function' ? id : (options.find((o) => o.id === id)?.name ?? id));
	function take(id: string) {
		if (id !== '' && !value.includes(id)) value = [...value, id];
		picked = '';
	}
</script>

<div>
	{#if !bare}<span class="text-ink2 block text-[12.5px]" aria-hidden="true">{label}</span>{/if}
	<PickField {label} {options} {none} {problem} bare bind:value={picked} {take} />
	{#if value.length}
		<ul class="mt-0.5 mb-1 flex flex-wrap gap-1 text-[12.5px]" aria-label="Chosen: {label}">
			{#each value as id (id)}
				<li class="border-hair flex items-center gap-1 rounded border px-1.5">
					{nameOf(id)}<button
						type="button"
						class="text-ink3 hover:text-buoy"
						aria-label="Leave {nameOf(id)} out"
						onclick={() => (value = value.filter((x) => x !== id))}>×</button
					>
				</li>
			{/each}
		</ul>
	{/if}
</div>
