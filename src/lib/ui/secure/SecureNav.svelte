<script lang="ts">
	import { page } from '$app/state';
	import StageNav from '$lib/ui/frame/StageNav.svelte';

	const parts = [
		{ name: 'Grants', path: '/secure' },
		{ name: 'Access rules', path: '/secure/rules' },
		{ name: 'Activity', path: '/secure/activity' },
		{ name: 'Out of the ordinary', path: '/secure/unusual' },
		{ name: 'Reports', path: '/secure/reports' }
	];
	const here = (path: string) => page.url.pathname === path;
</script>

<StageNav
	label="Secure"
	{parts}
	{here}
	without={{ make: null, edit: null, list: null, sort: null, report: null, run: null, change: null, source: null }}
/>
