<script lang="ts">
	import { countWords, numberWords } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import { call, refusalWords } from '$lib/ui/plan/api';

	/** Compares the change log with signed heads of it that somebody kept elsewhere. */
	interface Compared {
		heads: number;
		last: number | null;
		changes: number;
		problems: string[];
	}
	/** So many characters are sent: one head stands for everything before it, so that the latest lines are enough. */
	const MOST = 400_000;
	let heads = $state('');
	let busy = $state(false);
	let problem: string | undefined = $state();
	let found: Compared | null = $state(null);

	async function take(e: Event & { currentTarget: HTMLInputElement }) {
		const file = e.currentTarget.files?.[0];
		if (file) heads = await file.text();
	}
	/** Whole lines from the end, as far as they may be sent. */
	const latest = (text: string) =>
		text.length <= MOST ? text : text.slice(text.indexOf('\n', text.length - MOST) + 1);
	async function compare(e: SubmitEvent) {
		e.preventDefault();
		problem = heads.trim() ? undefined : 'Choose a file of heads, or paste their lines.';
		found = null;
		if (problem || busy) return;
		busy = true;
		const answer = await call<Compared>('POST', '/changes/compare', { heads: latest(heads) });
		busy = false;
		if (answer.ok) found = answer.value;
		else problem = answer.refusal.errors[0]?.words ?? refusalWords(answer.refusal);
	}
</script>

<details class="border-hair mt-2 border-b pb-2">
	<summary class="text-sea cursor-pointer text-[13.5px]">Compare it with heads that were kept elsewhere</summary>
	<form class="mt-2 max-w-[760px]" onsubmit={compare} novalidate>
		<Field label="A file of heads" problem={undefined}
			>{#snippet children(p)}<input
					{...p}
					class="field"
					type="file"
					accept=".heads,.txt,.json,.jsonl,text/plain"
					onchange={take}
				/>{/snippet}</Field
		>
		<Field label="Heads, one a line" {problem}
			>{#snippet children(p)}<textarea
					{...p}
					class="field h-[90px] font-mono text-[12px]"
					spellcheck="false"
					bind:value={heads}></textarea>{/snippet}</Field
		>
		<button class="btn mt-2" disabled={busy}>{busy ? 'Comparing …' : 'Compare'}</button>
	</form>
	<div role="status" class="mt-2 text-[13.5px]">
		{#if found}
			{#if found.problems.length}
				<p class="text-buoy font-[650]">The change log is not what it was.</p>
				<ul class="text-buoy mt-1">
					{#each found.problems as words, i (i)}<li>{words}.</li>{/each}
				</ul>
			{:else if found.last === null}
				<p class="text-buoy font-[650]">None of these lines is a head.</p>
			{:else}
				<p class="text-kelp font-[650]">
					It agrees with {countWords(found.heads, 'head')}: up to change {numberWords(found.last)} it is what it was when
					they were signed.
				</p>
				{#if found.changes > found.last}<p class="text-ink2">
						{countWords(found.changes - found.last, 'change has', 'changes have')} been added since; what they were then no
						head says.
					</p>{/if}
			{/if}
		{/if}
	</div>
</details>
