<script lang="ts">
	import { page } from '$app/state';
	import StageNav from '$lib/ui/frame/StageNav.svelte';

	/** The parts of the Build stage, in the order in which they are used. */
	const parts = [
		{ name: 'Sites', path: '/build/sites' },
		{ name: 'Lines', path: '/build' },
		{ name: 'Rollouts', path: '/build/rollouts' },
		{ name: 'Shipping', path: '/build/shipping' },
		{ name: 'Pools', path: '/build/pools' },
		{ name: 'Work by hand', path: '/build/console' },
		{ name: 'Compare', path: '/build/compare' },
		{ name: 'Schedules', path: '/build/schedules' }
	];
	// A line's sheet belongs to its line, a joining to its site.
	const here = (path: string) =>
		path === '/build/sites' ? page.url.pathname.startsWith(path) : page.url.pathname.replace(/\/sheet$/, '') === path;
</script>

<StageNav label="Build" {parts} {here} without={{ line: page.url.searchParams.get('line') }} />
