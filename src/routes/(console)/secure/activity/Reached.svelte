<script lang="ts">
	import { page } from '$app/state';
	import { countWords, durationWords, numberWords, sizeWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';

	/** What somebody reached and was refused, the latest first. */
	interface Row {
		id: number;
		since: number;
		until: number;
		kind: 'site' | 'service' | 'channel';
		target: string;
		name: string;
		category: string | null;
		rule: string;
		number: number | null;
		ruleName: string;
		through: boolean;
		asked: string | null;
		said: string | null;
		way: string;
		endpoint: number | null;
		endpointName: string | null;
		machine: string | null;
		address: string;
		decisions: number;
		down: number;
		up: number;
	}
	interface Props {
		reached: { rows: readonly Row[]; offset: number; more: boolean; shown: number };
		person: { login: string; name: string };
		zone: string;
	}
	let { reached, person, zone }: Props = $props();
	const ASKED: Record<string, string> = {
		factor: 'second factor not shown',
		reason: 'did not say what for',
		window: 'not in an isolated window',
		'sign in': 'nobody was signed in'
	};
	const outcome = (r: Row) =>
		r.through
			? r.kind === 'channel'
				? 'passed'
				: r.way === 'window'
					? 'as a picture'
					: 'reached'
			: r.asked
				? (ASKED[r.asked] ?? r.asked)
				: 'refused';
	const lasted = (r: Row) => durationWords(Math.max(60_000, r.until - r.since));
</script>

<table class="grid-table mt-2">
	<caption class="sr-only">What {person.name} reached and was refused</caption>
	<thead
		><tr
			><th>when</th><th class="num">for</th><th>what</th><th>outcome</th><th>by</th><th>from</th><th class="num"
				>decisions</th
			><th class="num">to them</th><th class="num">from them</th></tr
		></thead
	>
	<tbody>
		{#each reached.rows as r (r.id)}
			<tr
				><td class="whitespace-nowrap">{momentWords(zone, r.since)}</td><td class="num">{lasted(r)}</td><td
					>{#if r.kind === 'service' && r.target}<a
							class="link"
							href={addressWith(page.url, { card: `private-service/${r.target}` })}>{r.name}</a
						>{:else}{r.name}{/if}{#if r.category}<span class="text-ink2 ml-1">· {r.category}</span>{/if}</td
				><td class={r.through ? '' : 'text-buoy font-[620]'}
					>{outcome(r)}{#if r.said}<span class="text-ink2 block text-[12.5px] font-normal">“{r.said}”</span>{/if}</td
				><td
					>{#if r.number !== null}<a
							class="link"
							href={addressWith(page.url, { card: `access-rule/${r.rule}` })}
							title={r.ruleName}>rule {r.number}</a
						>{:else if r.rule}{r.ruleName}{:else}the end of the list{/if}</td
				><td
					>{#if r.machine}<a class="link" href={addressWith(page.url, { card: `machine/${r.machine}` })}>{r.machine}</a
						>{:else if r.endpoint !== null}<a
							class="link"
							href={addressWith(page.url, { card: `endpoint/${r.endpoint}` })}>{r.endpointName ?? r.endpoint}</a
						>{:else}a device of their own{/if}
					<span class="text-ink2">{r.address}</span></td
				><td class="num">{numberWords(r.decisions)}</td><td class="num">{r.through ? sizeWords(r.down) : '–'}</td><td
					class="num">{r.through ? sizeWords(r.up) : '–'}</td
				></tr
			>
		{:else}<tr
				><td colspan="9" class="text-ink2 py-4"
					>They reached nothing within the time that is kept, and were refused nothing.</td
				></tr
			>{/each}
	</tbody>
</table>
{#if reached.more || reached.offset > 0}<p class="mt-2 flex gap-4 text-[13px]">
		<span class="text-ink2"
			>{countWords(reached.rows.length, 'row', 'rows')} from {numberWords(reached.offset + 1)} on</span
		>
		{#if reached.offset > 0}<a
				class="link"
				href={addressWith(page.url, { skip: Math.max(0, reached.offset - reached.shown) || null })}>Later ones</a
			>{/if}
		{#if reached.more}<a class="link" href={addressWith(page.url, { skip: reached.offset + reached.shown })}
				>Earlier ones</a
			>{/if}
	</p>{/if}
