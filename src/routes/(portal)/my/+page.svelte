<script lang="ts">
	import { ChartSpline, Compass, MonitorSmartphone, Notebook, Ship, Waves } from '@lucide/svelte';
	import { enhance } from '$app/forms';
	import { durationWords } from '$lib/core/time/units';
	import CodeField from '$lib/ui/forms/CodeField.svelte';

	let { data, form } = $props();
	const icons: Record<string, typeof Ship> = {
		desktop: MonitorSmartphone,
		chart: ChartSpline,
		watch: Compass,
		wave: Waves,
		ledger: Notebook,
		ship: Ship
	};

	function stateOf(p: (typeof data.shelf)[number]): string {
		if (p.wantsFactor) return 'Asks for your second factor';
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
				{:else if p.wantsFactor && data.factor.on}
					<form method="POST" action="?/give" use:enhance class="mt-3 flex items-start justify-start gap-2">
						<input type="hidden" name="publication" value={p.id} />
						<CodeField
							label="Code from your app"
							problem={form && 'at' in form && form.at === p.id ? form.problem : undefined}
						/>
						<button class="btn btn-go mt-[20px]">Unlock<span class="sr-only">{p.name}</span></button>
					</form>
				{:else if p.wantsFactor}
					<p class="bg-sandwash text-sand mt-3 rounded-md px-3 py-2 text-[14px]">
						It asks for a second factor, and you have none yet. <a class="underline" href="#factor">Set one up below</a
						>.
					</p>
				{:else}
					<p class="bg-sandwash text-sand mt-3 rounded-md px-3 py-2 text-[14px]">{p.advice}</p>
				{/if}
			</li>
		{/each}
	</ul>
	<section class="border-hair mt-8 border-t pt-4 text-[14px]" id="factor" aria-labelledby="factor-head">
		<h2 class="text-[16px]" id="factor-head">Second factor</h2>
		{#if form && 'done' in form}<p class="text-kelp mt-1" role="status">{form.done}</p>{/if}
		{#if data.factor.on}
			<p class="text-ink2 mt-1">
				It is on{data.factor.given ? ', and you have given it' : ''}. What asks for it takes a code from your app.
			</p>
			<form method="POST" action="?/drop" use:enhance class="mt-2 flex items-start justify-start gap-2">
				<CodeField
					label="Code, to switch it off"
					problem={form && 'problem' in form && !('at' in form) ? form.problem : undefined}
				/>
				<button class="btn mt-[20px]">Switch it off</button>
			</form>
		{:else if form && 'factor' in form && form.factor}
			<p class="text-ink2 mt-1">Point your authenticator app at this picture, or write the letters into it.</p>
			<img src={form.factor.picture} alt="QR code of the secret" class="mt-2 h-40 w-40 bg-white p-1" />
			<p class="font-mono text-[13px] break-all">{form.factor.secret}</p>
			<form method="POST" action="?/confirm" use:enhance class="mt-2 flex items-start justify-start gap-2">
				<CodeField label="Code that the app shows" />
				<button class="btn btn-go mt-[20px]">Switch it on</button>
			</form>
		{:else}
			<p class="text-ink2 mt-1">A code from an app on your phone, besides your password. Some desktops ask for it.</p>
			{#if form && 'problem' in form}<p class="text-buoy mt-1" role="alert">{form.problem}</p>{/if}
			<form method="POST" action="?/factor" use:enhance class="mt-2"><button class="btn">Set it up</button></form>
		{/if}
	</section>
</main>
