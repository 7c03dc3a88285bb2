<script lang="ts">
	import { page } from '$app/state';
	import { addressWith } from './address';

	/** The views of what was done: what was changed, and what was tried, refused and looked at. */
	let { audit }: { audit: boolean } = $props();
	const VIEWS = [
		{ path: '/changes', words: 'Changes' },
		{ path: '/changes/record', words: 'Sign-ins, refusals, looks' }
	];
</script>

{#if audit}
	<nav class="flex gap-4 text-[13.5px]" aria-label="Record">
		{#each VIEWS as v (v.path)}
			<a
				href={addressWith(page.url, {}, v.path)}
				aria-current={page.url.pathname === v.path ? 'page' : undefined}
				class={page.url.pathname === v.path ? 'border-sea border-b-2 font-semibold' : 'link'}>{v.words}</a
			>
		{/each}
	</nav>
{/if}
