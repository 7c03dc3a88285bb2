<script lang="ts">
	import { page } from '$app/state';
	import { countWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import WhatFields from './WhatFields.svelte';

	/** Who reaches a service or a web site, each in the circumstances in which they are at the moment that is looked at. */
	interface Props {
		asked: {
			service: string;
			host: string;
			by: string | null;
			problem: string;
			found: {
				target: string;
				groups: { by: string; number: number | null; outcome: string; people: number }[];
				rows: { login: string; name: string; team: string; outcome: string; number: number | null }[];
				offset: number;
				total: number;
				shown: number;
			} | null;
		};
		services: readonly { id: string; name: string }[];
	}
	let { asked, services }: Props = $props();
	const kept = $derived([...page.url.searchParams].filter(([k]) => ['scope', 'at', 'list'].includes(k)));
	const byRule = (n: number | null) => (n === null ? 'the end of the list' : `rule ${n}`);
</script>

<form
	class="mt-2 grid grid-cols-[260px_320px_auto] items-start gap-x-3"
	method="GET"
	data-sveltekit-keepfocus
	data-sveltekit-noscroll
>
	{#each kept as [k, v] (k)}<input type="hidden" name={k} value={v} />{/each}
	<WhatFields service={asked.service} host={asked.host} problem={asked.problem || undefined} {services} />
	<button class="btn btn-go mt-[20px] justify-self-start">Show who</button>
</form>
{#if asked.found}
	{@const f = asked.found}
	<h2 class="head">Who reaches {f.target} <small>each at their own device, on duty, in its network</small></h2>
	<ul class="mt-1 flex flex-wrap gap-x-5 gap-y-1 text-[13.5px]" aria-label="By rule">
		{#each f.groups as g (g.by)}
			<li>
				<a
					class="link"
					aria-current={asked.by === g.by ? 'true' : undefined}
					href={addressWith(page.url, { by: asked.by === g.by ? null : g.by, skip: null })}
					>{countWords(g.people, 'person', 'people')}</a
				>
				{g.outcome}, by {byRule(g.number)}
			</li>
		{/each}
	</ul>
	<table class="grid-table mt-2">
		<caption class="sr-only">People, and whether they reach {f.target}</caption>
		<thead><tr><th>person</th><th>team</th><th>{f.target}</th><th>by</th></tr></thead>
		<tbody>
			{#each f.rows as r (r.login)}
				<tr
					><td><a class="link" href={addressWith(page.url, { card: `person/${r.login}` })}>{r.name}</a></td><td
						class="text-ink2">{r.team}</td
					><td>{r.outcome}</td><td>{byRule(r.number)}</td></tr
				>
			{:else}<tr><td colspan="4" class="text-ink2 py-4">Nobody is in the directory.</td></tr>{/each}
		</tbody>
	</table>
	{#if f.total > f.rows.length}<p class="mt-2 flex gap-4 text-[13px]">
			<span class="text-ink2"
				>{f.offset + 1} to {f.offset + f.rows.length} of {countWords(f.total, 'person', 'people')}</span
			>
			{#if f.offset > 0}<a class="link" href={addressWith(page.url, { skip: Math.max(0, f.offset - f.shown) || null })}
					>Those before</a
				>{/if}
			{#if f.offset + f.rows.length < f.total}<a class="link" href={addressWith(page.url, { skip: f.offset + f.shown })}
					>Those after</a
				>{/if}
		</p>{/if}
{:else if !asked.problem}<p class="text-ink2 mt-1 text-[13.5px]">
		Choose a service, or write a web site: everybody stands here with the rule that lets them in or keeps them out.
	</p>{/if}
