<script lang="ts">
	import type { Speaker } from '$lib/core/portal/say';
	import LanguageChoice from './LanguageChoice.svelte';

	/** The head of somebody's pages: where they are among them. */
	let { say, here }: { say: Speaker; here: 'shelf' | 'devices' | 'account' } = $props();
	const PAGES = [
		{ id: 'shelf', href: '/my' },
		{ id: 'devices', href: '/my/devices' },
		{ id: 'account', href: '/my/account' }
	] as const;
</script>

<header class="border-hair flex flex-wrap items-center gap-x-5 gap-y-2 border-b pb-3 text-[14px]">
	<nav class="flex flex-wrap gap-x-5" aria-label={say('head.pages')}>
		{#each PAGES as p (p.id)}
			<a
				class={p.id === here ? 'text-ink border-sea border-b-2 font-[650]' : 'text-ink2'}
				href={p.href}
				aria-current={p.id === here ? 'page' : undefined}>{say(`head.${p.id}`)}</a
			>
		{/each}
	</nav>
	<div class="ml-auto flex items-center gap-x-5">
		<LanguageChoice {say} to={PAGES.find((p) => p.id === here)!.href} />
		<form method="POST" action="/my?/leave"><button class="btn">{say('head.sign-out')}</button></form>
	</div>
</header>
