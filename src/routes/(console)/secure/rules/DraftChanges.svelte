<script lang="ts">
	import { page } from '$app/state';
	import { countWords, numberWords } from '$lib/core/time/units';
	import { seenAt, type Drafting } from './drafting.svelte';

	/** What a draft of rules changes: who gains and loses what, each with an example to try, and which tests it breaks. */
	interface Props {
		drafted: {
			differences: {
				kind: 'lose' | 'gain' | 'more' | 'less';
				count: number;
				targets: string;
				words: string;
				only: string;
				people: string;
				tries: Record<string, string>;
				/** How many of them have used it within 30 days; null: it is not lost, or they are too few to say. */
				used: number | null;
			}[];
			more: number;
			exact: boolean;
			people: number;
			targets: number;
			tests: { name: string; holds: boolean; held: boolean; words: string; tries: Record<string, string> | null }[];
		};
		drafting: Drafting;
	}
	let { drafted, drafting }: Props = $props();
	const VERBS = {
		lose: ['loses', 'lose'],
		gain: ['gains', 'gain'],
		more: ['is asked for more at', 'are asked for more at'],
		less: ['is asked for less at', 'are asked for less at']
	} as const;
	const kept = $derived(drafted.tests.filter((t) => t.holds).length);
	const failing = $derived(drafted.tests.filter((t) => !t.holds));
</script>

<section aria-label="What this draft changes">
	<h2 class="head">
		What this draft changes <small
			>{drafted.exact ? 'exact' : 'as far as it could be worked out'}, over {countWords(
				drafted.people,
				'person',
				'people'
			)} and {numberWords(drafted.targets)} names and services</small
		>
	</h2>
	<ul aria-label="Who gains and loses">
		{#each drafted.differences as d, n (n)}
			<li class="border-hair grid grid-cols-[minmax(0,1fr)_auto] items-baseline gap-x-3 border-b py-[7px]">
				<div>
					<p class="text-[13.5px]">
						<b class={['font-[650]', d.kind === 'gain' || d.kind === 'less' ? 'text-kelp' : 'text-buoy']}
							>{countWords(d.count, 'person', 'people')}</b
						>
						{VERBS[d.kind][d.count === 1 ? 0 : 1]}
						{d.targets}{d.only ? `, only ${d.only}` : ''}
					</p>
					<p class="text-ink2 text-[12.5px]">
						{d.words} · {d.people}{#if d.used}; <b class="font-[620]"
								>{numberWords(d.used)} of them used it in 30 days</b
							>{/if}
					</p>
				</div>
				<a class="link text-[12.5px]" href={seenAt(page.url, d.tries)} aria-label="See it: {d.people}, {d.targets}"
					>see</a
				>
			</li>
		{:else}<li class="text-ink2 py-[7px] text-[13.5px]">Nobody gains or loses anything by it.</li>{/each}
	</ul>
	{#if drafted.more}<p class="text-ink2 mt-1 text-[12.5px]">and {countWords(drafted.more, 'other', 'others')}</p>{/if}
	{#if drafted.tests.length}
		<h3 class="head mt-3">Tests of the rules <small>{kept} of {drafted.tests.length} hold</small></h3>
		<ul aria-label="Tests that the draft fails">
			{#each failing as t (t.name)}
				<li class="border-hair grid grid-cols-[minmax(0,1fr)_auto] gap-x-3 border-b py-[7px] text-[13.5px]">
					<div>
						<b class="text-buoy font-[650]">fails</b>
						{t.name}
						<p class="text-ink2 text-[12.5px]">
							{t.words}
							{#if t.tries}<a class="link" href={seenAt(page.url, t.tries)} aria-label="See it: {t.name}">see</a>{/if}
						</p>
					</div>
					<span class="text-[12.5px]">{t.held ? 'blocks' : 'fails now as well'}</span>
				</li>
			{/each}
		</ul>
	{/if}
	{#if drafting.change.edits.length}<p class="mt-2">
			<button class="btn btn-small" disabled={drafting.busy} onclick={() => drafting.takeBack()}
				>Take the last edit of a rule back</button
			>
			<span class="text-ink2 text-[12.5px]"
				>{countWords(drafting.change.edits.length, 'edit')} of rules in this draft</span
			>
		</p>{/if}
</section>
