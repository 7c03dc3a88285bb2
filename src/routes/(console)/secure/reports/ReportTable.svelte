<script lang="ts">
	import { valueWords, type ReportTable } from '$lib/core/reports/table';

	/** A report as it was made: what is drawn of it, and its lines. */
	let { made, zone, name }: { made: ReportTable; zone: string; name: string } = $props();
	const most = $derived(Math.max(1, ...made.bars.map((b) => b.value)));
	const right = (kind: string) => !['text', 'list', 'yes', 'moment'].includes(kind);
</script>

{#if made.drawn && made.bars.length}
	<figure class="mt-2" aria-label="{name}, drawn">
		<figcaption class="text-ink2 text-[12.5px]">
			{made.drawn.words}{made.bars.length < made.all ? `, the first ${made.bars.length}` : ''}
		</figcaption>
		<ul class="mt-1 text-[13px]">
			{#each made.bars as b, i (i)}<li
					class="grid grid-cols-[minmax(0,2fr)_minmax(0,3fr)_90px] items-center gap-2 py-px"
				>
					<span class="truncate" title={b.label}>{b.label || '–'}</span>
					<span class="bg-shade block h-[9px] overflow-hidden rounded-sm" aria-hidden="true"
						><span class="bg-sea2 block h-full" style:width="{(100 * b.value) / most}%"></span></span
					>
					<span class="text-right tabular-nums">{valueWords(made.drawn.kind, b.value, zone)}</span>
				</li>{/each}
		</ul>
	</figure>
{/if}
{#if made.lines.length}
	<div class="mt-3 overflow-x-auto">
		<table class="grid-table w-full" aria-label={name}>
			<thead
				><tr
					>{#each made.columns as c (c.key)}<th class={right(c.kind) ? 'num' : ''}>{c.words}</th>{/each}</tr
				></thead
			>
			<tbody>
				{#each made.lines as line, n (n)}<tr
						>{#each made.columns as c, i (c.key)}<td class={right(c.kind) ? 'num' : ''}
								>{valueWords(c.kind, line[i] ?? null, zone)}</td
							>{/each}</tr
					>{/each}
			</tbody>
		</table>
	</div>
{:else}<p class="text-ink2 mt-3 text-[13.5px]">There is nothing of it.</p>{/if}
