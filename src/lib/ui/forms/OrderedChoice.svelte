<script lang="ts">
	import { tick } from 'svelte';

	/** Chooses some of several things in an order: the first is tried first. */
	interface Props {
		label: string;
		choices: string[];
		value: string[];
		none: string;
		problem?: string | undefined;
	}
	let { label, choices, value = $bindable(), none, problem }: Props = $props();
	const id = $props.id();
	const rest = $derived(choices.filter((c) => !value.includes(c)));
	let list: HTMLOListElement | undefined = $state();
	async function move(i: number, by: number) {
		const next = value.with(i, value[i + by]!).with(i + by, value[i]!);
		value = next;
		await tick();
		// The one that was moved keeps the keyboard.
		list?.querySelectorAll<HTMLElement>(`li:nth-child(${i + by + 1}) button:not(:disabled)`)[0]?.focus();
	}
</script>

<div role="group" aria-labelledby={id}>
	<span {id} class="text-ink2 text-[12.5px]">{label}</span>
	<ol bind:this={list} class="text-[13px]">
		{#each value as v, i (v)}
			<li class="flex items-center gap-1.5 py-px">
				<span class="text-ink3 w-4 text-right">{i + 1}</span><span class="min-w-[110px]">{v}</span>
				<button
					type="button"
					class="btn btn-plain"
					aria-label="{v} earlier"
					disabled={i === 0}
					onclick={() => move(i, -1)}>↑</button
				>
				<button
					type="button"
					class="btn btn-plain"
					aria-label="{v} later"
					disabled={i === value.length - 1}
					onclick={() => move(i, 1)}>↓</button
				>
				<button
					type="button"
					class="btn btn-plain"
					aria-label="Leave {v} out"
					onclick={() => (value = value.filter((x) => x !== v))}>×</button
				>
			</li>
		{:else}<li class="text-ink3 py-[5px]">{none}</li>{/each}
	</ol>
	{#if rest.length}
		<select
			class="field"
			aria-label="Add to: {label}"
			onchange={(e) => {
				if (e.currentTarget.value) value = [...value, e.currentTarget.value];
				e.currentTarget.value = '';
			}}
			><option value="">add …</option>{#each rest as c (c)}<option>{c}</option>{/each}</select
		>
	{/if}
	<p class="text-buoy text-[12.5px]" role={problem ? 'alert' : undefined}>{problem ?? ''}</p>
</div>
