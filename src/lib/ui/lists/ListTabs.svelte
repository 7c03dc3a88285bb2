<script lang="ts" generics="T extends string">
	import { page } from '$app/state';
	import { addressWith } from '$lib/ui/frame/address';

	/** What a view lists: one of several, kept in the address; the first is what it shows where nothing is said. */
	interface Props {
		label: string;
		tabs: readonly (readonly [id: T, words: string])[];
		current: T;
	}
	let { label, tabs, current }: Props = $props();
</script>

<nav class="flex gap-4 text-[13px] whitespace-nowrap" aria-label={label}>
	{#each tabs as [id, words], i (id)}<a
			href={addressWith(page.url, { list: i === 0 ? null : id, sort: null, make: null, edit: null })}
			aria-current={current === id ? 'page' : undefined}
			class={[
				'border-b-2 pb-0.5',
				current === id ? 'border-sea font-[650]' : 'text-ink2 hover:text-sea border-transparent'
			]}>{words}</a
		>{/each}
</nav>
