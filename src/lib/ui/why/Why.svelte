<script lang="ts">
	import { page } from '$app/state';
	import type { Fact } from '$lib/core/why/explained';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';

	interface Props {
		facts: Fact[];
		zone?: string;
	}
	let { facts, zone = 'UTC' }: Props = $props();
	const CARDS = [
		'machine',
		'site',
		'session',
		'person',
		'host',
		'pool',
		'version',
		'publication',
		'grant',
		'gateway',
		'volume',
		'change',
		'package'
	];
	const linkOf = (f: Fact) => {
		if (!f.about) return null;
		if (f.about.kind === 'job') return `/jobs/${f.about.id}`;
		return CARDS.includes(f.about.kind) ? addressWith(page.url, { card: `${f.about.kind}/${f.about.id}` }) : null;
	};
</script>

<ol class="text-ink2 flex flex-col gap-1 text-[13px] leading-snug [overflow-wrap:anywhere]">
	{#each facts as fact, i (i)}
		{@const href = linkOf(fact)}
		<li class="grid grid-cols-[14px_1fr] gap-1">
			<span
				aria-hidden="true"
				class={fact.side === 'for' ? 'text-kelp' : fact.side === 'against' ? 'text-buoy' : 'text-ink3'}
				>{fact.side === 'for' ? '+' : fact.side === 'against' ? '−' : '·'}</span
			>
			<span>
				{fact.words}{#if href}&ensp;<a class="link text-[12.5px]" {href}>{fact.about?.name ?? fact.about?.id}</a>{/if}
				{#if fact.at || fact.source}
					<span class="text-ink3 text-[12px]"
						>{fact.source ?? ''}{fact.source && fact.at ? ', ' : ''}{fact.at ? momentWords(zone, fact.at) : ''}</span
					>
				{/if}
			</span>
		</li>
	{/each}
</ol>
