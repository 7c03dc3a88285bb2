<script lang="ts">
	import { page } from '$app/state';
	import { addressWith, type Parts } from './address';

	interface Props {
		/** The stage. */
		label: string;
		/** Its parts, in the order in which they are used. */
		parts: { name: string; path: string }[];
		/** Whether the page is in the part that begins at a path. */
		here: (path: string) => boolean;
		/** What of the address does not go along, or changes. */
		without?: Parts;
	}
	let { label, parts, here, without = {} }: Props = $props();
</script>

<nav aria-label={label} class="border-hair mb-2.5 flex gap-5 border-b text-[13px]">
	{#each parts as p (p.path)}
		<a
			href={addressWith(page.url, without, p.path)}
			aria-current={here(p.path) ? 'page' : undefined}
			class={[
				'-mb-px border-b-2 pb-1.5',
				here(p.path) ? 'border-sea text-ink font-semibold' : 'text-ink2 hover:text-sea border-transparent'
			]}>{p.name}</a
		>
	{/each}
</nav>
