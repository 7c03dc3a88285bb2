<script lang="ts">
	import { page } from '$app/state';
	import { addressWith } from '$lib/ui/frame/address';

	/** The parts of the Publish stage. */
	const parts = [
		{ name: 'Pools and publications', path: '/publish' },
		{ name: 'Packages', path: '/publish/packages' }
	];
	const here = (path: string) =>
		path === '/publish' ? page.url.pathname === path : page.url.pathname.startsWith(path);
</script>

<nav aria-label="Publish" class="border-hair mb-2.5 flex gap-5 border-b text-[13px]">
	{#each parts as p (p.path)}
		<a
			href={addressWith(page.url, { make: null, edit: null }, p.path)}
			aria-current={here(p.path) ? 'page' : undefined}
			class={[
				'-mb-px border-b-2 pb-1.5',
				here(p.path) ? 'border-sea text-ink font-semibold' : 'text-ink2 hover:text-sea border-transparent'
			]}>{p.name}</a
		>
	{/each}
</nav>
