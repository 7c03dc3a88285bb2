<script lang="ts">
	import { createVirtualizer } from '@tanstack/svelte-virtual';
	import { onMount, untrack } from 'svelte';
	import { numberWords, sizeWords } from '$lib/core/time/units';

	/** A branch as the API gives it. */
	export interface TreeBranch {
		name: string;
		path: string;
		open: boolean;
		changes: number;
		bytes: number;
		taken: number;
		takenBytes: number;
		sorts: { app: number; noise: number; doubtful: number };
		what: string | null;
		sort: string | null;
		why: string | null;
		shows: string | null;
	}
	interface Props {
		/** Fetches what lies right below a branch. */
		children: (path: string) => Promise<TreeBranch[]>;
		take: (path: string, take: boolean) => void;
		/** Counts up when choices have changed: what is shown is fetched anew. */
		turn: number;
		canTake: boolean;
		label: string;
	}
	let { children, take, turn, canTake, label }: Props = $props();

	interface Row {
		branch: TreeBranch;
		depth: number;
		expanded: boolean;
	}
	const ROW = 30;
	let rows: Row[] = $state.raw([]);
	let active = $state(0);
	let box: HTMLDivElement | undefined = $state();
	const list = createVirtualizer<HTMLDivElement, HTMLDivElement>({
		count: 0,
		getScrollElement: () => box ?? null,
		estimateSize: () => ROW,
		overscan: 16
	});
	$effect(() => {
		const count = rows.length;
		void box;
		untrack(() => $list.setOptions({ count, getScrollElement: () => box ?? null }));
	});

	/** Rows of a branch's children, and of those that stood open, again. */
	async function rowsOf(path: string, depth: number, open: ReadonlySet<string>): Promise<Row[]> {
		const found = await children(path);
		const parts = await Promise.all(
			found.map(async (branch): Promise<Row[]> => {
				// A branch with nothing but one way on is opened along with it.
				const expanded = branch.open && (open.has(branch.path) || (found.length === 1 && depth < 6));
				return [{ branch, depth, expanded }, ...(expanded ? await rowsOf(branch.path, depth + 1, open) : [])];
			})
		);
		return parts.flat();
	}
	onMount(() => {
		document.documentElement.dataset.tree = 'yes';
	});
	$effect(() => {
		void turn;
		void children;
		const open = untrack(() => new Set(rows.filter((r) => r.expanded).map((r) => r.branch.path)));
		void rowsOf('', 0, open).then((fresh) => (rows = fresh));
	});

	async function toggle(i: number) {
		const row = rows[i]!;
		if (!row.branch.open) return;
		if (row.expanded) {
			let end = i + 1;
			while (end < rows.length && rows[end]!.depth > row.depth) end++;
			rows = [...rows.slice(0, i), { ...row, expanded: false }, ...rows.slice(end)];
			return;
		}
		const below = await rowsOf(row.branch.path, row.depth + 1, new Set());
		const at = rows.findIndex((r) => r.branch.path === row.branch.path);
		rows = [...rows.slice(0, at), { ...row, expanded: true }, ...below, ...rows.slice(at + 1)];
	}
	function go(i: number) {
		active = Math.max(0, Math.min(rows.length - 1, i));
		$list.scrollToIndex(active);
	}
	function keys(e: KeyboardEvent) {
		const row = rows[active];
		if (!row || e.ctrlKey || e.metaKey || e.altKey) return;
		const acts: Record<string, () => void> = {
			ArrowDown: () => go(active + 1),
			ArrowUp: () => go(active - 1),
			Home: () => go(0),
			End: () => go(rows.length - 1),
			ArrowRight: () => void (row.expanded ? go(active + 1) : toggle(active)),
			ArrowLeft: () => {
				if (row.expanded) return void toggle(active);
				let up = active;
				while (up > 0 && rows[up]!.depth >= row.depth) up--;
				go(up);
			},
			' ': () => canTake && take(row.branch.path, row.branch.taken < row.branch.changes),
			Enter: () => void toggle(active)
		};
		const act = acts[e.key];
		if (!act) return;
		e.preventDefault();
		e.stopPropagation();
		act();
	}
	const tones: Record<string, string> = { app: 'text-sea', noise: 'text-ink3', doubtful: 'text-sand' };
	const counts = (b: TreeBranch) =>
		(['app', 'noise', 'doubtful'] as const)
			.filter((s) => b.sorts[s])
			.map((s) => `${numberWords(b.sorts[s])} ${s}`)
			.join(', ');
	const shownName = (b: TreeBranch) => (b.path === 'settings:' ? 'Settings' : b.name);
	const stateOf = (b: TreeBranch) => (b.taken === 0 ? 'left' : b.taken === b.changes ? 'taken' : 'partly taken');
</script>

<!-- The tree itself takes the keys; its rows are told apart by aria-activedescendant. -->
<div
	bind:this={box}
	class="border-hair bg-sheet h-[clamp(170px,calc(100vh-640px),430px)] overflow-auto rounded border text-[13px]"
	role="tree"
	tabindex="0"
	aria-label={label}
	aria-activedescendant={rows[active] ? `branch-${active}` : undefined}
	onkeydown={keys}
>
	<div class="relative" role="presentation" style="height:{$list.getTotalSize()}px">
		{#each $list.getVirtualItems() as item (item.key)}
			{@const row = rows[item.index]}
			{#if row}
				{@const b = row.branch}
				<div
					id="branch-{item.index}"
					class={[
						'border-hair2 absolute right-0 left-0 flex items-center gap-2 border-b pr-3',
						item.index === active && 'bg-seawash'
					]}
					style="top:{item.start}px;height:{ROW}px;padding-left:{8 + row.depth * 16}px"
					role="treeitem"
					aria-level={row.depth + 1}
					aria-expanded={b.open ? row.expanded : undefined}
					aria-selected={item.index === active}
					aria-label="{shownName(b)}, {stateOf(b)}, {b.sort ? `${b.sort}: ${b.why}` : counts(b)}"
					tabindex="-1"
					onclick={() => {
						active = item.index;
						void toggle(item.index);
					}}
					onkeydown={() => {}}
				>
					<span class="text-ink3 w-3" aria-hidden="true">{b.open ? (row.expanded ? '▾' : '▸') : ''}</span>
					<input
						type="checkbox"
						tabindex="-1"
						aria-hidden="true"
						disabled={!canTake}
						checked={b.taken === b.changes}
						indeterminate={b.taken > 0 && b.taken < b.changes}
						onclick={(e) => {
							e.stopPropagation();
							active = item.index;
							take(b.path, b.taken < b.changes);
						}}
					/>
					<span class="truncate">{shownName(b)}</span>
					{#if b.what && b.what !== 'added'}<span class="text-plum text-[12px]">{b.what}</span>{/if}
					{#if b.shows && b.shows !== 'folder'}<span class="text-ink3 truncate text-[12px]">{b.shows}</span>{/if}
					<span class={['ml-auto truncate pl-3 text-right text-[12.5px]', b.sort ? tones[b.sort] : 'text-ink2']}
						>{b.sort && !row.expanded && b.changes === 1 ? `${b.sort}: ${b.why}` : counts(b)}</span
					>
					<span class="num text-ink2 w-[72px] shrink-0 text-right">{b.bytes ? sizeWords(b.bytes) : ''}</span>
				</div>
			{/if}
		{/each}
	</div>
</div>
