<script lang="ts">
	import { endsOf, type Otherwise } from '$lib/core/reach/rules';
	import { tick } from 'svelte';
	import { dragHandle, dragHandleZone, TRIGGERS, type DndEvent } from 'svelte-dnd-action';
	import { page } from '$app/state';
	import { numberWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import { seenAt, type Drafting } from './drafting.svelte';

	/** Access rules in their order; those of a draft with what becomes of each. */
	interface Shown {
		id: string;
		name: string;
		effect: string;
		decides: string;
		says: string;
		tells: string | null;
	}
	interface Row extends Shown {
		number: number | null;
		stands: { short: string; words: string; tries: Record<string, string> | null } | null;
		mark?: 'same' | 'new' | 'changed' | 'moved' | 'gone';
		was?: number | null;
		earlier?: Shown | null;
	}
	interface Props {
		rules: readonly Row[];
		otherwise: Otherwise;
		/** What decides in force where no rule does, where a draft would have it otherwise. */
		otherwiseWas: Otherwise | null;
		drafting: Drafting;
		/** Whether whoever looks may draft changes, here and now. */
		may: boolean;
		/** The rule that is being changed. */
		open: string | null;
		/** What each decided within the last 30 days, by its id; empty: what decides at the end. Null: it is about too few people to say. */
		hits: Readonly<Record<string, { decisions: number; refused: number } | null>>;
		/** Ids of rules that have decided nothing for 90 days. */
		unused: readonly string[];
	}
	let { rules, otherwise: given, otherwiseWas: givenWas, drafting, may, open, hits, unused }: Props = $props();
	const otherwise = $derived(endsOf(given));
	const otherwiseWas = $derived(givenWas && endsOf(givenWas));
	const TONES: Record<string, string> = { allow: 'text-kelp', refuse: 'text-buoy' };
	/** More of them are not dragged: each would be measured at every move. */
	const DRAGGED = 400;
	/** What is dragged lies otherwise than what is drafted, until that has followed: the page may be brought up to date meanwhile. */
	let held: Row[] | null = $state(null);
	const items = $derived(held ?? [...rules]);
	let said = $state('');
	let list: HTMLOListElement | undefined = $state();
	const standing = $derived(rules.filter((r) => r.number !== null));
	const spots = $derived(new Map(standing.map((r, i) => [r.id, i])));
	const dragged = $derived(may && rules.length <= DRAGGED);

	async function move(id: string, before: string | null, to: number) {
		said = `Rule ${standing.find((r) => r.id === id)?.number} becomes rule ${to}`;
		await drafting.draft({ edits: [{ move: id, before }] });
	}
	/** Up or down by one; whoever moved it keeps the keyboard. */
	async function step(id: string, by: -1 | 1) {
		const i = standing.findIndex((r) => r.id === id);
		await move(id, standing[by < 0 ? i - 1 : i + 2]?.id ?? null, i + 1 + by);
		await tick();
		const row = list?.querySelector(`li[data-rule="${CSS.escape(id)}"]`);
		row?.querySelectorAll<HTMLElement>('button:not(:disabled)')[by < 0 ? 0 : 1]?.focus();
	}
	let moving = 0;
	function drop(e: CustomEvent<DndEvent<Row>>, done: boolean) {
		held = e.detail.items;
		const { id, trigger } = e.detail.info;
		if (!done) {
			// By keys, what is held is let go only after it has moved: by then all of it may be drafted.
			if (trigger === TRIGGERS.DRAG_STOPPED && moving === 0) held = null;
			return;
		}
		const now = held.filter((r) => r.number !== null);
		const i = now.findIndex((r) => r.id === id);
		if (i >= 0 && standing[i]?.id !== id) {
			moving++;
			void move(id, now[i + 1]?.id ?? null, i + 1).finally(() => {
				if (--moving === 0) held = null;
			});
		} else if (moving === 0) held = null;
	}
	/** What decides at the end; where that cannot be drafted, what is shown is again what it was. */
	async function end(key: keyof Otherwise, select: HTMLSelectElement) {
		const chosen = select.value as 'allow' | 'refuse';
		if (!(await drafting.draft({ otherwise: { ...otherwise, [key]: chosen } }))) select.value = otherwise[key];
	}
	const MARKS: Record<string, string> = { new: 'new', changed: 'changed', moved: 'moved', gone: 'goes' };
	// What decides where no rule does is most of it everywhere: rules are drawn against each other.
	const most = $derived(Math.max(1, ...Object.entries(hits).map(([rule, h]) => (rule === '' || !h ? 0 : h.decisions))));
	/** Little is seen to be little, and not to be nothing. */
	const wide = (n: number) => (n === 0 ? '0' : `max(3px, ${Math.min(100, (100 * n) / most)}%)`);
	const NONE = { decisions: 0, refused: 0 };
	const ends = [
		['web', 'web'],
		['services', 'private services'],
		['channels', 'what grants let through sessions']
	] as const;
</script>

{#snippet bar(h: { decisions: number; refused: number })}
	<div class="w-[132px] self-center">
		<p class="text-[12.5px] tabular-nums">
			{numberWords(h.decisions)}<span class="sr-only"> decisions, {numberWords(h.refused)} of them refused</span>
		</p>
		<div class="bg-shade mt-0.5 flex h-[6px] overflow-hidden rounded-sm" aria-hidden="true">
			<span class="bg-sea2" style:width={wide(h.decisions - h.refused)}></span>
			<span class="bg-buoy" style:width={wide(h.refused)}></span>
		</div>
	</div>
{/snippet}
<p class="sr-only" aria-live="polite">{said}</p>
<ol
	bind:this={list}
	class="mt-2"
	aria-label="Access rules in their order"
	use:dragHandleZone={{
		items,
		flipDurationMs: 120,
		dropTargetStyle: {},
		dragDisabled: !dragged || drafting.busy,
		type: 'rules'
	}}
	onconsider={(e) => drop(e, false)}
	onfinalize={(e) => drop(e, true)}
>
	{#each items as r (r.id)}
		{@const i = spots.get(r.id) ?? -1}
		{@const touched = r.mark !== undefined && r.mark !== 'same'}
		<li
			data-rule={r.id}
			class={[
				'border-hair bg-paper grid grid-cols-[16px_30px_minmax(0,1fr)_auto_auto] items-baseline gap-x-2 border-b py-[7px]',
				touched && 'bg-plumwash -mx-2 rounded-md px-2',
				open === r.id && 'outline-sea -mx-2 rounded-md px-2 outline-2'
			]}
		>
			{#if dragged && r.number !== null}<span
					use:dragHandle
					aria-label="Drag rule {r.number}"
					class="text-ink3 cursor-grab text-center select-none">⠿</span
				>{:else}<span></span>{/if}
			<span class="text-ink2 text-right tabular-nums">{r.number ?? '–'}</span>
			<div class={['min-w-0', r.mark === 'gone' && 'text-ink3 line-through']}>
				<p class="text-[13.5px]">
					{#if r.earlier && r.earlier.decides !== r.decides}<s class="text-ink3">{r.earlier.decides}</s>{/if}
					<b class={['font-[650]', r.mark === 'gone' ? '' : (TONES[r.effect] ?? 'text-ink')]}>{r.decides}</b>
					{r.says}
					{#if touched}<span class="pill pill-plum bg-sheet ml-1 inline-block no-underline"
							>{MARKS[r.mark!]}{r.mark === 'moved' ? `, was ${r.was}` : r.mark === 'gone' ? `, was ${r.was}` : ''}</span
						>{/if}
					{#if r.stands}<span class="pill pill-sand ml-1" title={r.stands.words}>{r.stands.short}</span
						>{/if}{#if unused.includes(r.id)}<span
							class="pill pill-sand ml-1"
							title="it has stood as it is for longer, and has decided nothing">unused for 90 days</span
						>{/if}
				</p>
				{#if r.earlier && r.earlier.says !== r.says}<p class="text-ink3 text-[12.5px]"><s>{r.earlier.says}</s></p>{/if}
				<p class="text-ink2 text-[12.5px]">
					{#if r.number !== null && r.mark !== 'new'}<a
							class="link"
							href={addressWith(page.url, { card: `access-rule/${r.id}` })}>{r.name || `rule ${r.number}`}</a
						>{:else}{r.name}{/if}{[r.tells ? `“${r.tells}”` : '', r.stands?.words ?? '']
						.filter(Boolean)
						.map((part) => ` · ${part}`)
						.join('')}
					{#if r.stands?.tries}<a
							class="link"
							href={seenAt(page.url, r.stands.tries)}
							aria-label="See it: rule {r.number} {r.stands.short}">see</a
						>{/if}
				</p>
			</div>
			{#if r.mark === 'new'}<p class="text-ink2 w-[132px] self-center text-[12.5px]">
					not in force yet
				</p>{:else if hits[r.id] === null}<p
					class="text-ink2 w-[132px] self-center text-[12.5px]"
					title="what each of them did is looked at saying why, under Activity"
				>
					of few people
				</p>{:else}{@render bar(hits[r.id] ?? NONE)}{/if}
			<div class="flex items-baseline gap-1">
				{#if may && r.number !== null}
					<button
						class="btn btn-plain"
						aria-label="Move rule {r.number} up"
						disabled={i === 0 || drafting.busy}
						onclick={() => step(r.id, -1)}>↑</button
					>
					<button
						class="btn btn-plain"
						aria-label="Move rule {r.number} down"
						disabled={i === standing.length - 1 || drafting.busy}
						onclick={() => step(r.id, 1)}>↓</button
					>
					<a
						class="btn btn-small"
						href={addressWith(page.url, { rule: r.id, make: null })}
						aria-label="Change rule {r.number}"
						aria-current={open === r.id ? 'true' : undefined}
						data-sveltekit-noscroll>change</a
					>
				{/if}
			</div>
		</li>
	{/each}
</ol>
<div class="grid grid-cols-[16px_30px_minmax(0,1fr)_auto] items-baseline gap-x-2 py-[7px]">
	<span></span><span class="text-ink3 text-right" aria-hidden="true">–</span>
	<p class="text-[13.5px]">
		Everything else:
		{#each ends as [key, words], n (key)}
			{n > 0 ? ', ' : ''}{words}
			{#if may}<select
					class={['field inline-block w-auto py-0', TONES[otherwise[key]]]}
					aria-label="Everything else: {words}"
					value={otherwise[key]}
					disabled={drafting.busy}
					onchange={(e) => end(key, e.currentTarget)}
					><option value="allow">allowed</option><option value="refuse">refused</option></select
				>{:else}<b class={['font-[650]', TONES[otherwise[key]]]}>{otherwise[key] === 'allow' ? 'allowed' : 'refused'}</b
				>{/if}{#if otherwiseWas && otherwiseWas[key] !== otherwise[key]}<span class="pill pill-plum ml-1"
					>was {otherwiseWas[key] === 'allow' ? 'allowed' : 'refused'}</span
				>{/if}{/each}
	</p>
	{@render bar(hits[''] ?? NONE)}
</div>
