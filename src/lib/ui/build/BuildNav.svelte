<script lang="ts">
	import { page } from '$app/state';
	import { addressWith } from '$lib/ui/frame/address';

	/** The parts of the Build stage, in the order in which they are used. */
	const parts = [
		{ name: 'Places', path: '/build/places' },
		{ name: 'Lines', path: '/build' },
		{ name: 'Rollouts', path: '/build/rollouts' },
		{ name: 'Shipping', path: '/build/shipping' },
		{ name: 'Pools', path: '/build/pools' },
		{ name: 'Work by hand', path: '/build/console' },
		{ name: 'Compare', path: '/build/compare' },
		{ name: 'Schedules', path: '/build/schedules' }
	];
	// A line's sheet belongs to its line, a joining to its place.
	const here = (path: string) =>
		path === '/build/places' ? page.url.pathname.startsWith(path) : page.url.pathname.replace(/\/sheet$/, '') === path;
</script>

<nav aria-label="Build" class="border-hair mb-2.5 flex gap-5 border-b text-[13px]">
	{#each parts as p (p.path)}
		<a
			href={addressWith(page.url, { line: page.url.searchParams.get('line') }, p.path)}
			aria-current={here(p.path) ? 'page' : undefined}
			class={[
				'-mb-px border-b-2 pb-1.5',
				here(p.path) ? 'border-sea text-ink font-semibold' : 'text-ink2 hover:text-sea border-transparent'
			]}>{p.name}</a
		>
	{/each}
</nav>
