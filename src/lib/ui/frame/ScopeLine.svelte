<script lang="ts">
	import { page } from '$app/state';
	import { stagePath } from './stages';
	import {
		FACETS,
		parseScope,
		scopeText,
		termWords,
		withFacet,
		withoutTerm,
		type Facet,
		type Scope
	} from '$lib/core/scope/scope';
	import { moneyWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from './address';
	import { arrive } from './arrive';

	interface Props {
		/** The part of the estate that whoever looks is there for, in words; empty: the whole. */
		part: string;
		scope: Scope;
		problems: { at: number; words: string }[];
		at: number;
		live: boolean;
		future: boolean;
		zone: string;
		names: Partial<Record<Facet, { id: string; name: string }[]>>;
		figures: { people: number; machines: number; up: number; unusable: number; apdex: number | null; costHour: number };
	}
	let { part, scope, problems, at, live, future, zone, names, figures }: Props = $props();
	let typing = $state(false);
	let text = $state('');
	let wrong = $state('');
	let menu: Facet | 'add' | null = $state(null);
	let input: HTMLInputElement | undefined = $state();

	const nameOf = (facet: Facet, id: string) => names[facet]?.find((n) => n.id === id)?.name ?? id;
	/** Views that look at something else than their stage. */
	const OF_VIEWS: Record<string, string> = {
		'/publish/people': 'people',
		'/publish/endpoints': 'endpoints',
		'/publish/settings': 'settings',
		'/secure/rules': 'access rules',
		'/secure/activity': 'what people reached',
		'/secure/reports': 'reports',
		'/secure/unusual': 'what is out of the ordinary'
	};
	const subject = $derived(
		OF_VIEWS[page.url.pathname] ??
			(
				{
					'/': 'everything',
					'/build': 'image lines',
					'/publish': 'pools and publications',
					'/secure': 'grants',
					'/scale': 'capacity',
					'/watch': page.url.searchParams.get('list') ?? 'machines',
					'/fix': 'what does not work',
					'/jobs': 'jobs',
					'/changes': 'the change log'
				} as Record<string, string>
			)[stagePath(page.url.pathname)] ??
			'everything'
	);
	const offered = $derived<Facet[]>(
		menu === 'site' ? ['site'] : ['pool', 'team', 'line', 'state', 'gateway', 'protocol', 'publication']
	);
	const site = $derived(scope.terms.find((t) => t.kind === 'facet' && t.facet === 'site' && !t.not));

	/** Opens the line for typing; also the key `/`. */
	export function narrow() {
		text = scopeText(scope) + (scope.terms.length ? ' ' : '');
		typing = true;
		menu = null;
		wrong = '';
		setTimeout(() => input?.focus(), 0);
	}
	function apply(next: string) {
		const parsed = parseScope(next);
		if (parsed.problems.length) {
			wrong = parsed.problems.map((p) => p.words).join(' ');
			return;
		}
		typing = false;
		void arrive({ scope: scopeText(parsed.scope) || null }, { keepFocus: true });
	}
	const choose = (facet: Facet, id: string | null) => {
		menu = null;
		void arrive({ scope: scopeText(withFacet(scope, facet, id)) || null }, { keepFocus: true });
	};
</script>

<svelte:window onkeydown={(e) => e.key === 'Escape' && (menu = null)} />

<section
	aria-label="Scope"
	class="border-hair text-ink2 relative flex min-h-[42px] items-center gap-1.5 border-b px-[18px] text-[15px]"
>
	{#if typing}
		<form
			class="flex flex-1 items-center gap-2"
			onsubmit={(e) => {
				e.preventDefault();
				apply(text);
			}}
		>
			<label class="sr-only" for="scope-text">Narrow the scope</label>
			<input
				id="scope-text"
				bind:this={input}
				bind:value={text}
				class="field max-w-[620px] font-mono text-[13px]"
				placeholder="site:north pool:big-desks signin&gt;60s -team:guests"
				aria-invalid={wrong !== ''}
				aria-describedby="scope-wrong"
				onkeydown={(e) => e.key === 'Escape' && (typing = false)}
			/>
			<button class="btn">Narrow</button>
			<span id="scope-wrong" class="text-buoy text-[12.5px]" role="alert">{wrong}</span>
		</form>
	{:else}
		<span>Looking at <span class="text-ink font-semibold">{subject}</span></span>
		<span>in</span>
		<button
			class="border-sea text-ink border-b-2 px-px font-semibold"
			aria-expanded={menu === 'site'}
			onclick={() => (menu = menu === 'site' ? null : 'site')}
		>
			{site?.kind === 'facet'
				? site.values.map((v) => nameOf('site', v)).join(', ')
				: part
					? 'all of your part'
					: 'all sites'}
			<span class="text-ink3 text-[12px] font-normal" aria-hidden="true">▾</span>
		</button>
		{#each scope.terms as term, i (i)}
			{#if term !== site}
				<span class="border-sea text-ink inline-flex items-baseline gap-1 border-b-2 px-px">
					<span class="font-semibold">{termWords(term, nameOf)}</span>
					<a
						class="text-ink3 hover:text-buoy text-[12px]"
						href={addressWith(page.url, { scope: scopeText(withoutTerm(scope, i)) || null })}
						aria-label="Drop {termWords(term, nameOf)}">×</a
					>
				</span>
			{/if}
		{/each}
		<button
			class="border-sea2 text-sea rounded-xl border border-dashed px-2.5 text-[13px] leading-[22px]"
			aria-expanded={menu === 'add'}
			onclick={narrow}>narrow&ensp;/</button
		>
		<button
			class="text-sea text-[13px]"
			aria-expanded={menu === 'add'}
			aria-label="Add a facet"
			onclick={() => (menu = menu === 'add' ? null : 'add')}>▾</button
		>
		{#if !live}
			<span class={['pill', future ? 'pill-plum' : 'pill-sand']}
				>{future ? 'ahead, ' : 'as it was '}{momentWords(zone, at)}</span
			>
			<a class="link text-[13px]" href={addressWith(page.url, { at: null })}>Live</a>
		{/if}
		{#if problems.length}<span class="text-buoy text-[12.5px]" role="alert"
				>{problems.map((p) => p.words).join(' ')}</span
			>{/if}
	{/if}
	<p class="ml-auto text-[13px] whitespace-nowrap">
		<b class="text-ink">{figures.people.toLocaleString('en-GB')}</b> people in ·
		<b class="text-ink">{figures.up.toLocaleString('en-GB')}</b>
		machines up of {figures.machines.toLocaleString('en-GB')}{#if figures.unusable}<span
				>&nbsp;· <b class="text-buoy">{figures.unusable}</b> unusable</span
			>{/if} · sign-in Apdex <b class="text-ink">{figures.apdex === null ? '–' : figures.apdex.toFixed(2)}</b> ·
		<b class="text-ink">{moneyWords(figures.costHour)}</b>/h
	</p>

	{#if menu}
		<div
			class="border-hair bg-sheet absolute top-[42px] left-[18px] z-30 flex max-h-[420px] gap-5 overflow-auto rounded-md border p-3 text-[13px] shadow-lg"
		>
			{#each offered as facet (facet)}
				{#if names[facet]?.length}
					<div class="min-w-[110px]">
						<h2 class="head mb-1">{FACETS[facet].plural}</h2>
						{#if facet === 'site'}<button
								class="text-sea block py-0.5 text-left hover:underline"
								onclick={() => choose('site', null)}>all sites</button
							>{/if}
						{#each names[facet] ?? [] as n (n.id)}
							<button
								class="text-sea block py-0.5 text-left whitespace-nowrap hover:underline"
								onclick={() => choose(facet, n.id)}>{n.name}</button
							>
						{/each}
					</div>
				{/if}
			{/each}
		</div>
	{/if}
</section>
