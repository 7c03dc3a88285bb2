<script lang="ts">
	import { page } from '$app/state';
	import StageNav from '$lib/ui/frame/StageNav.svelte';

	const parts = [
		{ name: 'Pools and publications', path: '/publish' },
		{ name: 'Who gets what', path: '/publish/who' },
		{ name: 'People', path: '/publish/people' },
		{ name: 'Endpoints', path: '/publish/endpoints' },
		{ name: 'Settings groups', path: '/publish/settings' },
		{ name: 'Shelves', path: '/publish/shelves' },
		{ name: 'Packages', path: '/publish/packages' },
		{ name: 'Delivery', path: '/publish/delivery' }
	];
	const here = (path: string) =>
		path === '/publish' ? page.url.pathname === path : page.url.pathname.startsWith(path);
</script>

<StageNav
	label="Publish"
	{parts}
	{here}
	without={{ make: null, edit: null, list: null, sort: null, of: null, with: null, then: null }}
/>
