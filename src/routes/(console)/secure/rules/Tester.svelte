<script lang="ts">
	import { page } from '$app/state';
	import type { Fact } from '$lib/core/why/explained';
	import Field from '$lib/ui/forms/Field.svelte';
	import { findPeople } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import WhatFields from './WhatFields.svelte';
	import Why from '$lib/ui/why/Why.svelte';

	/** Tries whether somebody may reach something, and says by which rule. */
	interface Props {
		tried: {
			login: string;
			name: string;
			service: string;
			host: string;
			size: string;
			problems: Record<string, string>;
			answer: Answer | null;
			/** As the draft that is open would have it. */
			drafted: Answer | null;
		};
		services: readonly { id: string; name: string }[];
		pools: readonly { id: string; name: string }[];
		branches: readonly { id: string; name: string }[];
		zone: string;
	}
	interface Answer {
		person: string;
		target: string;
		address: string;
		decides: string;
		asks: string | null;
		number: number | null;
		tells: string | null;
		facts: Fact[];
	}
	let { tried, services, pools, branches, zone }: Props = $props();
	const q = $derived(page.url.searchParams);
	const kept = $derived([...q].filter(([k]) => ['scope', 'at', 'plan'].includes(k)));
	// Each for itself: while none of them changes, what somebody is typing stays when the page is brought up to date.
	const who = $derived(tried.login);
	const from = $derived(q.get('from') ?? '');
	const when = $derived(q.get('when') ?? '');
	const firmware = $derived(q.get('firmware') ?? '');
	/** Circumstances that are seldom asked for stand open only where some are. */
	const SELDOM = ['on', 'branch', 'firmware', 'locks', 'holiday', 'share'];
	const more = $derived(SELDOM.some((k) => q.get(k)));
	const OUTCOMES: Record<string, string> = {
		allow: 'may',
		reason: 'once they say what for, may',
		factor: 'once they show their second factor, may',
		window: 'in an isolated window alone, may',
		refuse: 'may not'
	};
	const outcome = (decides: string) => `${OUTCOMES[decides]} ${tried.service.startsWith('channel/') ? 'use' : 'reach'}`;
	const AS_IT_IS = ['', 'as theirs is'] as const;
	const choices = {
		managed: [AS_IT_IS, ['yes', 'managed'], ['no', 'not managed']],
		duty: [
			['', 'on duty'],
			['off', 'off duty']
		],
		through: [
			['', 'their device'],
			['browser', 'the browser alone'],
			['window', 'an isolated window']
		],
		locks: [AS_IT_IS, ['yes', 'locks'], ['no', 'does not lock']],
		share: [
			['', 'as it is today'],
			['left', 'all of it is left'],
			['used', 'used up']
		],
		holiday: [
			['', 'as it is there'],
			['yes', 'yes'],
			['no', 'no']
		]
	} as const;
	/** `on` and `device` are said by examples, and are what nothing said means. */
	const chosen = (name: string) => {
		const value = q.get(name) ?? '';
		return (name === 'duty' && value === 'on') || (name === 'through' && value === 'device') ? '' : value;
	};
</script>

{#snippet choice(name: keyof typeof choices, label: string)}
	<Field {label} problem={undefined}
		>{#snippet children(p)}<select {...p} class="field" {name}
				>{#each choices[name] as [v, words] (v)}<option value={v} selected={v === chosen(name)}>{words}</option
					>{/each}</select
			>{/snippet}</Field
	>
{/snippet}

{#snippet answered(a: Answer, label: string, lead: string)}
	<section
		class={[
			'mt-3 rounded-lg border px-4 py-3',
			a.decides === 'refuse' ? 'border-buoy bg-buoywash' : 'border-kelp bg-kelpwash'
		]}
		aria-label={label}
	>
		<p class="text-[14px] font-[650]">
			{lead}{a.person}
			{outcome(a.decides)}
			{a.target}{a.address ? `, from ${a.address}` : ''}: {a.number === null
				? 'the end of the list decides'
				: `rule ${a.number} decides`}.
		</p>
		{#if a.tells && a.decides !== 'allow'}<p class="text-ink2 text-[13px]">They are told: “{a.tells}”</p>{/if}
		<div class="mt-2"><Why facts={a.facts} {zone} /></div>
	</section>
{/snippet}

<h2 class="head" id="try">
	Try it out <small>this person, that site, service or channel, from there, at that time</small>
</h2>
<form class="mt-1" method="GET" data-sveltekit-keepfocus data-sveltekit-noscroll>
	{#each kept as [k, v] (k)}<input type="hidden" name={k} value={v} />{/each}
	<div class="grid grid-cols-2 gap-x-3">
		<PickField
			label="Person"
			options={findPeople}
			called={tried.name}
			problem={tried.problems.person}
			name="who"
			value={who}
		/>
		<WhatFields service={tried.service} host={tried.host} size={tried.size} problem={tried.problems.what} {services} />
		<TextField label="From address" name="from" value={from} placeholder="theirs" problem={tried.problems.from} />
		<TextField label="When" name="when" value={when} placeholder="Tue 14:30" problem={tried.problems.when} />
		{@render choice('managed', 'Device')}
		{@render choice('duty', 'Roster')}
		{@render choice('through', 'Through')}
	</div>
	<details open={more}>
		<summary class="text-ink2 cursor-pointer text-[12.5px]">More circumstances</summary>
		<div class="grid grid-cols-2 gap-x-3">
			<Field label="On a machine of" problem={tried.problems.on}
				>{#snippet children(p)}<select {...p} class="field" name="on"
						><option value="">none of ours</option>{#each pools as o (o.id)}<option
								value={o.id}
								selected={o.id === q.get('on')}>{o.name}</option
							>{/each}</select
					>{/snippet}</Field
			>
			<Field label="Device in branch" problem={tried.problems.branch}
				>{#snippet children(p)}<select {...p} class="field" name="branch"
						><option value="">as theirs is</option><option value="-" selected={q.get('branch') === '-'}>in none</option
						>{#each branches as o (o.id)}<option value={o.id} selected={o.id === q.get('branch')}>{o.name}</option
							>{/each}</select
					>{/snippet}</Field
			>
			<TextField
				label="Firmware"
				hint="- for not known"
				name="firmware"
				value={firmware}
				placeholder="theirs"
				problem={tried.problems.firmware}
			/>
			{@render choice('locks', 'Its screen')}
			{@render choice('holiday', 'A holiday')}
			{@render choice('share', 'A day’s share')}
		</div>
	</details>
	<button class="btn mt-2">Try</button>
</form>
{#if tried.answer}{@render answered(tried.answer, 'Answer', tried.drafted ? 'Now: ' : '')}{/if}
{#if tried.drafted}{@render answered(tried.drafted, 'Answer by the draft', 'By this draft: ')}{/if}
