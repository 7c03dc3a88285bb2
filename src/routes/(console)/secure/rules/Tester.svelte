<script lang="ts">
	import { page } from '$app/state';
	import type { Fact } from '$lib/core/why/explained';
	import Field from '$lib/ui/forms/Field.svelte';
	import { findPeople } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import Why from '$lib/ui/why/Why.svelte';

	/** Tries whether somebody may reach something, and says by which rule. */
	interface Props {
		tried: {
			login: string;
			name: string;
			service: string;
			host: string;
			asked: boolean;
			problems: Record<string, string>;
			answer: {
				person: string;
				target: string;
				address: string;
				decides: string;
				asks: string | null;
				number: number | null;
				tells: string | null;
				facts: Fact[];
			} | null;
		};
		services: readonly { id: string; name: string }[];
		zone: string;
	}
	let { tried, services, zone }: Props = $props();
	const q = $derived(page.url.searchParams);
	const kept = $derived([...q].filter(([k]) => ['scope', 'at'].includes(k)));
	const OUTCOMES: Record<string, string> = {
		allow: 'may reach',
		reason: 'once they say what for, may reach',
		factor: 'once they show their second factor, may reach',
		window: 'in an isolated window alone, may reach',
		refuse: 'may not reach'
	};
	const choices = $derived([
		{
			name: 'managed',
			label: 'Device',
			of: [
				['', 'as theirs is'],
				['yes', 'managed'],
				['no', 'not managed']
			]
		},
		{
			name: 'duty',
			label: 'Roster',
			of: [
				['', 'on duty'],
				['off', 'off duty']
			]
		},
		{
			name: 'through',
			label: 'Through',
			of: [
				['', 'their device'],
				['browser', 'the browser alone'],
				['window', 'an isolated window']
			]
		}
	]);
</script>

<h2 class="head mt-6">Try it out <small>this person, that site or service, from there, at that time</small></h2>
<form
	class="mt-1 grid grid-cols-[1.3fr_1.1fr_1.3fr_1fr_0.8fr_0.9fr_0.8fr_1fr_auto] items-start gap-x-2"
	method="GET"
	data-sveltekit-keepfocus
	data-sveltekit-noscroll
>
	{#each kept as [k, v] (k)}<input type="hidden" name={k} value={v} />{/each}
	<PickField
		label="Person"
		options={findPeople}
		called={tried.name}
		problem={tried.problems.person}
		name="who"
		value={tried.login}
	/>
	<Field label="Service" problem={undefined}
		>{#snippet children(p)}<select {...p} class="field" name="service"
				><option value="">a web site:</option>{#each services as s (s.id)}<option
						value={s.id}
						selected={s.id === tried.service}>{s.name}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<TextField
		label="Web site"
		name="host"
		value={tried.host}
		placeholder="tides.example"
		problem={tried.service ? undefined : tried.problems.what}
	/>
	<TextField
		label="From address"
		name="from"
		value={q.get('from') ?? ''}
		placeholder="theirs"
		problem={tried.problems.from}
	/>
	<TextField
		label="When"
		name="when"
		value={q.get('when') ?? ''}
		placeholder="Tue 14:30"
		problem={tried.problems.when}
	/>
	{#each choices as c (c.name)}
		<Field label={c.label} problem={undefined}
			>{#snippet children(p)}<select {...p} class="field" name={c.name}
					>{#each c.of as [v, words] (v)}<option value={v} selected={v === (q.get(c.name) ?? '')}>{words}</option
						>{/each}</select
				>{/snippet}</Field
		>
	{/each}
	<button class="btn btn-go mt-[20px]">Try</button>
</form>
{#if tried.answer}
	{@const a = tried.answer}
	<section
		class={[
			'mt-3 rounded-lg border px-4 py-3',
			a.decides === 'refuse' ? 'border-buoy bg-buoywash' : 'border-kelp bg-kelpwash'
		]}
		aria-label="Answer"
	>
		<p class="text-[15px] font-[650]">
			{a.person}
			{OUTCOMES[a.decides]}
			{a.target}{a.address ? `, from ${a.address}` : ''}: {a.number === null
				? 'the end of the list decides'
				: `rule ${a.number} decides`}.
		</p>
		{#if a.tells && a.decides !== 'allow'}<p class="text-ink2 text-[13px]">They are told: “{a.tells}”</p>{/if}
		<div class="mt-2"><Why facts={a.facts} {zone} /></div>
	</section>
{/if}
