<script lang="ts" generics="T extends { id: number | string }">
	import { createVirtualizer } from '@tanstack/svelte-virtual';
	import { page } from '$app/state';
	import type { Snippet } from 'svelte';
	import { untrack } from 'svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import { arrive } from '$lib/ui/frame/arrive';
	import { call } from '$lib/ui/plan/api';

	interface Column {
		key: string;
		words: string;
		/** CSS grid width. */
		width: string;
		number?: boolean;
		sort?: boolean;
	}
	interface Props {
		kind: string;
		columns: Column[];
		first: T[];
		total: number;
		at: number;
		scope: string;
		sort: string;
		cardOf: (row: T) => string;
		cell: Snippet<[T, string]>;
		picked?: Set<T['id']>;
	}
	let { kind, columns, first, total, at, scope, sort, cardOf, cell, picked }: Props = $props();

	const ROW = 32;
	const CHUNK = 100;
	let box: HTMLDivElement | undefined = $state();
	// Rows by index; holes are fetched when they come into view.
	let rows: (T | undefined)[] = $state.raw([]);
	let active = $state(0);
	// Bookkeeping that nothing is drawn from.
	// eslint-disable-next-line svelte/prefer-svelte-reactivity
	const asked = new Set<number>();
	/** Pages that did not come: each with why, and how often it was asked for. */
	let failed: Record<number, { why: string; times: number }> = $state({});
	/** How long until a page that did not come is asked for once more, ms; longer each time. */
	const AGAIN = 2000;
	const AGAIN_AT_MOST = 30_000;
	$effect(() => {
		const next: (T | undefined)[] = new Array(total);
		first.forEach((r, i) => (next[i] = r));
		// A newer picture of the same list: rows out of sight are fetched again when they come into view.
		asked.clear();
		failed = {};
		rows = next;
	});
	const template = $derived((picked ? '28px ' : '') + columns.map((c) => c.width).join(' '));
	const list = createVirtualizer<HTMLDivElement, HTMLDivElement>({
		count: 0,
		getScrollElement: () => box ?? null,
		estimateSize: () => ROW,
		overscan: 12
	});
	$effect(() => {
		const count = total;
		void box;
		untrack(() => $list.setOptions({ count, getScrollElement: () => box ?? null }));
	});
	$effect(() => {
		const items = $list.getVirtualItems();
		const have = rows;
		for (const item of items) {
			const chunk = Math.floor(item.index / CHUNK);
			if (have[item.index] === undefined && !asked.has(chunk)) {
				asked.add(chunk);
				void fetchChunk(chunk);
			}
		}
	});
	async function fetchChunk(chunk: number) {
		const query = new URLSearchParams({
			scope,
			at: String(at),
			sort,
			limit: String(CHUNK),
			offset: String(chunk * CHUNK)
		});
		const of = [scope, at, sort, total].join();
		const answer = await call<{ rows: T[] }>('GET', `/${kind}?${query}`);
		// The list has become another one meanwhile.
		if (of !== [scope, at, sort, total].join()) return;
		if (!answer.ok) {
			const times = (failed[chunk]?.times ?? 0) + 1;
			failed[chunk] = { why: `${answer.refusal.title}. ${answer.refusal.detail}`, times };
			setTimeout(() => again(chunk), Math.min(AGAIN_AT_MOST, AGAIN * 2 ** (times - 1)));
			return;
		}
		delete failed[chunk];
		const next = [...rows];
		answer.value.rows.forEach((r, i) => (next[chunk * CHUNK + i] = r));
		rows = next;
	}
	/** Asks for a page that did not come once more, if it is still missing. */
	function again(chunk: number) {
		if (!(chunk in failed) || rows[chunk * CHUNK] !== undefined) return;
		void fetchChunk(chunk);
	}
	const trouble = $derived(Object.entries(failed)[0]);
	const sortHref = (key: string) => addressWith(page.url, { sort: sort === key ? `-${key}` : key });
	/** Opens the card of the active row; keys j, k and Enter. */
	function onKey(e: KeyboardEvent) {
		const by = { ArrowDown: 1, j: 1, ArrowUp: -1, k: -1, PageDown: 15, PageUp: -15 }[e.key];
		if (by) {
			e.preventDefault();
			e.stopPropagation();
			active = Math.min(total - 1, Math.max(0, active + by));
			$list.scrollToIndex(active);
		} else if (e.key === 'Enter' && rows[active] && e.target === box)
			void arrive({ card: cardOf(rows[active]!) }, { keepFocus: true, noScroll: true });
		else if (e.key === ' ' && picked && rows[active] && e.target === box) {
			e.preventDefault();
			toggle(rows[active]!);
		}
	}
	function toggle(row: T) {
		if (picked!.has(row.id)) picked!.delete(row.id);
		else picked!.add(row.id);
	}
</script>

<!-- The head stays in the same box as the rows, so that their columns are equally wide whatever the scroll bar takes. -->
<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
<div
	bind:this={box}
	role="table"
	aria-label={kind.replaceAll('-', ' ')}
	aria-rowcount={total + 1}
	tabindex="0"
	class="h-full min-h-0 overflow-y-auto text-[13px]"
	onkeydown={onKey}
>
	<div role="rowgroup" aria-label="Head" class="sticky top-0 z-10">
		<div
			role="row"
			class="border-hair bg-paper text-ink3 grid border-b text-[12.5px]"
			style="grid-template-columns:{template}"
		>
			{#if picked}<span role="columnheader"><span class="sr-only">chosen</span></span>{/if}
			{#each columns as c (c.key)}
				<span
					role="columnheader"
					class={['truncate px-1.5 py-[5px]', c.number && 'text-right']}
					aria-sort={sort === c.key ? 'ascending' : sort === `-${c.key}` ? 'descending' : 'none'}
				>
					{#if c.sort === false}{c.words}{:else}<a
							href={sortHref(c.key)}
							class="hover:text-sea"
							data-sveltekit-keepfocus>{c.words}{sort === c.key ? ' ↑' : sort === `-${c.key}` ? ' ↓' : ''}</a
						>{/if}
				</span>
			{/each}
		</div>
	</div>
	<div style="height:{$list.getTotalSize()}px;position:relative" role="rowgroup" aria-label="Rows">
		{#each $list.getVirtualItems() as item (item.index)}
			{@const row = rows[item.index]}
			<div
				role="row"
				tabindex="-1"
				aria-rowindex={item.index + 2}
				class={[
					'border-hair2 absolute left-0 grid w-full items-center border-b',
					item.index === active && 'bg-seawash'
				]}
				style="grid-template-columns:{template};height:{ROW}px;transform:translateY({item.start}px)"
				onclick={() => (active = item.index)}
				onkeydown={() => {}}
			>
				{#if row}
					{#if picked}<span role="cell" class="pl-1"
							><input
								type="checkbox"
								checked={picked.has(row.id)}
								onchange={() => toggle(row)}
								aria-label="Choose {cardOf(row)}"
							/></span
						>{/if}
					{#each columns as c (c.key)}<span role="cell" class={['truncate px-1.5', c.number && 'text-right']}
							>{@render cell(row, c.key)}</span
						>{/each}
				{:else}<span role="cell" class="text-ink3 px-1.5"
						>{failed[Math.floor(item.index / CHUNK)] ? 'has not come' : '…'}</span
					>{/if}
			</div>
		{/each}
	</div>
</div>
{#if trouble}
	<p
		role="alert"
		class="border-buoy bg-buoywash text-buoy sticky bottom-0 z-10 flex items-center gap-3 border-t px-3 py-1.5 text-[13px]"
	>
		A part of the list has not come: {trouble[1].why} It is asked for again by itself.
		<button class="btn ml-auto" onclick={() => Object.keys(failed).forEach((c) => again(Number(c)))}
			>Try again now</button
		>
	</p>
{/if}
