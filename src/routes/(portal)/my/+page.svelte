<script lang="ts">
	import { ChartSpline, Compass, MonitorSmartphone, Notebook, Ship, Waves } from '@lucide/svelte';
	import { durationWords } from '$lib/core/time/units';

	let { data } = $props();
	const icons: Record<string, typeof Ship> = {
		desktop: MonitorSmartphone,
		chart: ChartSpline,
		watch: Compass,
		wave: Waves,
		ledger: Notebook,
		ship: Ship
	};

	function stateOf(p: (typeof data.shelf)[number]): string {
		if (!p.allowed) return 'Not right now';
		if (p.session) return p.session.state === 'active' ? 'Open right now' : 'Waiting where you left it';
		return p.usual
			? `Usually opens in ${durationWords(Math.max(1000, Math.round(p.usual / 1000) * 1000))}`
			: 'Ready to open';
	}
</script>

<svelte:head><title>My shelf · Sextant</title></svelte:head>
<main class="mx-auto max-w-[860px] px-5 py-6">
	<div class="flex items-baseline gap-3">
		<h1 class="text-[22px]">Hello, {data.name.split(' ')[0]}</h1>
		<form method="POST" action="?/leave" class="ml-auto"><button class="btn">Sign out</button></form>
	</div>
	<p class="text-ink2 mt-1 text-[15px]">
		{data.shelf.length
			? 'What would you like to open?'
			: 'Nothing has been granted to you yet. Ask the helpdesk for what you need.'}
	</p>
	<ul class="mt-5 grid gap-4 sm:grid-cols-2">
		{#each data.shelf as p (p.id)}
			{@const Icon = icons[p.icon] ?? MonitorSmartphone}
			<li class="border-hair bg-sheet rounded-xl border p-5">
				<div class="flex items-center gap-4">
					<span class="bg-seawash text-sea grid h-12 w-12 place-items-center rounded-lg"
						><Icon size={26} aria-hidden="true" /></span
					>
					<div>
						<h2 class="text-[17px]">{p.name}</h2>
						<p class="text-ink2 text-[14px]">
							{stateOf(p)}
						</p>
					</div>
				</div>
				{#if p.allowed}
					<form method="POST" action="?/open" class="mt-4">
						<input type="hidden" name="publication" value={p.id} /><button
							class="btn btn-go w-full justify-center py-2 text-[15px]"
							>{p.session ? 'Go back to it' : 'Open'}<span class="sr-only">{p.name}</span></button
						>
					</form>
				{:else}
					<p class="bg-sandwash text-sand mt-3 rounded-md px-3 py-2 text-[14px]">{p.advice}</p>
				{/if}
			</li>
		{/each}
	</ul>
</main>
