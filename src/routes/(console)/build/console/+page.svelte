<script lang="ts">
	import { invalidateAll } from '$app/navigation';
	import { page } from '$app/state';
	import { durationWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import { call } from '$lib/ui/plan/api';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const mine = $derived(data.opening !== null && data.mayCommit.includes('images') && data.look.live);
	let text = $state('');
	let problem = $state('');
	let busy = $state(false);
	let number = $state('');
	let screen: HTMLDivElement | undefined = $state();

	async function type(e: SubmitEvent) {
		e.preventDefault();
		if (!data.chosen || text.trim() === '') return;
		busy = true;
		problem = '';
		const answer = await call<{ printed: string[] }>('POST', `/consoles/${encodeURIComponent(data.chosen)}`, { text });
		if (answer.ok) text = '';
		else problem = answer.refusal.detail;
		await invalidateAll();
		busy = false;
	}
	$effect(() => {
		void data.typed.length;
		if (screen) screen.scrollTop = screen.scrollHeight;
	});
	$effect(() => {
		if (!data.versions.some((v) => v.number === number))
			number = data.versions.findLast((v) => !v.held)?.number ?? data.versions.at(-1)?.number ?? '';
	});
</script>

<h1 class="sr-only">Work by hand</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	<div class="grid grid-cols-[170px_minmax(0,1fr)] gap-5">
		<ul class="text-[13px]" aria-label="Image lines">
			{#each data.lines as l (l.id)}
				<li>
					<a
						class={['block rounded px-2 py-1.5', l.id === data.chosen ? 'bg-seawash font-semibold' : 'hover:text-sea']}
						aria-current={l.id === data.chosen ? 'true' : undefined}
						href={addressWith(page.url, { line: l.id })}
						>{l.name}{#if l.open}<span class="text-plum block text-[12.5px] font-normal"
								>{l.open.number} open, {l.open.by}</span
							>{/if}</a
					>
				</li>
			{/each}
		</ul>
		<div>
			{#if data.opening}
				<div class="flex items-baseline gap-3">
					<h2 class="head">
						{data.opening.line}
						{data.opening.number} on {data.opening.machine}
						<small
							>open for {durationWords(data.look.known - data.opening.since)} by {data.opening.by}; nobody else can open
							a version of this line</small
						>
					</h2>
				</div>
				<div
					bind:this={screen}
					class="bg-deck text-decktext mt-2 h-[340px] overflow-y-auto rounded-lg px-4 py-3 font-mono text-[13px] leading-[1.55]"
					role="log"
					aria-label="Console of {data.opening.machine}"
					tabindex="-1"
				>
					<p class="text-deck2">{data.opening.machine} is ready. Type help to see what there is.</p>
					{#each data.typed as t (t.n)}
						<p><span class="text-brass">{t.by.split(' ')[0]?.toLowerCase()} $</span> {t.typed}</p>
						{#each t.printed as line, i (i)}<p class="text-deck2 whitespace-pre">{line}</p>{/each}
					{/each}
				</div>
				{#if mine}
					<form class="mt-2 flex gap-2" onsubmit={type}>
						<!-- svelte-ignore a11y_autofocus -->
						<input
							class="field font-mono"
							aria-label="Type at the console"
							aria-invalid={problem !== ''}
							autocomplete="off"
							spellcheck="false"
							autofocus
							bind:value={text}
						/>
						<button class="btn" disabled={busy}>Type it</button>
					</form>
					{#if problem}<p class="text-buoy text-[13px]" role="alert">{problem}</p>{/if}
				{/if}
				<div class="mt-3 flex flex-wrap items-start gap-3">
					{#if may('image.close')}<PlanButton
							kind="image.close"
							input={{ line: data.opening.line }}
							words="Close as a new version"
							ask={{ field: 'note', words: 'What was done' }}
							main
						/>{/if}
					{#if may('image.throw-away')}<PlanButton
							kind="image.throw-away"
							input={{ line: data.opening.line }}
							words="Throw it away"
						/>{/if}
				</div>
			{:else if data.chosen}
				<h2 class="head">Work on {data.chosen} by hand</h2>
				<p class="text-ink2 mt-1 max-w-[640px] text-[13.5px]">
					A version is opened on a reference machine of its own, changed there, and closed as a new version. One person
					at a time; while it is open no machine is made from it.
				</p>
				{#if may('image.open') && data.versions.length}
					<div class="mt-3 flex items-end gap-3">
						<label class="text-ink2 text-[12.5px]"
							>Version
							<select class="field w-[190px]" bind:value={number}
								>{#each data.versions.toReversed() as v (v.number)}<option value={v.number}
										>{v.number} ({v.machines} machines{v.held ? ', held' : ''})</option
									>{/each}</select
							></label
						>
						<PlanButton kind="image.open" input={{ line: data.chosen, number }} words="Open {number}" main />
					</div>
				{/if}
			{:else}<p class="text-ink2">There is no image line. Image lines come with the estate file.</p>{/if}

			{#if data.past.length}
				<h2 class="head mt-6">Done by hand before</h2>
				<table class="grid-table mt-1">
					<thead
						><tr
							><th>version</th><th>by</th><th>opened</th><th class="num">open for</th><th class="num">lines typed</th
							><th>outcome</th></tr
						></thead
					>
					<tbody>
						{#each data.past as o (o.id)}<tr
								><td>{o.number}</td><td>{o.by}</td><td>{momentWords(data.zone, o.since)}</td><td class="num"
									>{durationWords(o.until - o.since)}</td
								><td class="num">{o.lines}</td><td>{o.outcome}</td></tr
							>{/each}
					</tbody>
				</table>
			{/if}
		</div>
	</div>
</div>
