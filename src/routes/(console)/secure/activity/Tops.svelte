<script lang="ts">
	import { page } from '$app/state';
	import { numberWords, sizeWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';

	/** What was reached, or refused, most often. */
	interface Row {
		kind: 'site' | 'service' | 'channel';
		target: string;
		name: string;
		category: string | null;
		decisions: number;
		refused: number;
		down: number;
		up: number;
		people: number;
	}
	interface Props {
		title: string;
		rows: readonly Row[];
		none: string;
	}
	let { title, rows, none }: Props = $props();
</script>

<table class="grid-table mt-1">
	<caption class="sr-only">{title}</caption>
	<thead
		><tr
			><th>what</th><th class="num">people</th><th class="num">decisions</th><th class="num">refused</th><th class="num"
				>to them</th
			><th class="num">from them</th></tr
		></thead
	>
	<tbody>
		{#each rows as t (`${t.kind} ${t.target}`)}
			<tr
				><td
					>{#if t.kind === 'service' && t.target}<a
							class="link font-[620]"
							href={addressWith(page.url, { card: `private-service/${t.target}` })}>{t.name}</a
						> <span class="text-ink2">· private service</span>{:else}{t.name}{#if t.category}<span class="text-ink2"
								>· {t.category}</span
							>{/if}{/if}</td
				><td class="num">{numberWords(t.people)}</td><td class="num">{numberWords(t.decisions)}</td><td
					class={['num', t.refused > 0 && 'text-buoy font-[620]']}>{t.refused ? numberWords(t.refused) : '–'}</td
				><td class="num">{sizeWords(t.down)}</td><td class="num">{sizeWords(t.up)}</td></tr
			>
		{:else}<tr><td colspan="6" class="text-ink2 py-4">{none}</td></tr>{/each}
	</tbody>
</table>
