<script lang="ts">
	import { untrack } from 'svelte';
	import { AFTERWARDS, SESSION_ENDS } from '$lib/core/people/handover';
	import { localMoment } from '$lib/core/time/written';
	import { dayWords } from '$lib/core/time/zone';
	import Field from '$lib/ui/forms/Field.svelte';
	import { findPeople } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Arranges that somebody leaves: when, how their sessions end, who takes over, and what becomes of what they leave. */
	interface Props {
		sites: { id: string; name: string; zone: string }[];
		leaver: {
			login: string;
			name: string;
			site: string;
			ends: number | null;
			told: string | null;
			agreed: {
				sessions: (typeof SESSION_ENDS)[number];
				words: string;
				to: string | null;
				after: (typeof AFTERWARDS)[number];
				keepDays: number;
			} | null;
		} | null;
		now: number;
		close: string;
	}
	let { sites, leaver, now, close }: Props = $props();
	const zone = $derived(sites.find((s) => s.id === leaver?.site)?.zone ?? 'Etc/UTC');
	const SESSIONS = {
		ask: 'ask them, sign out after 15 min',
		finish: 'let what is open run on',
		end: 'sign out at once'
	};
	const AFTER = { remove: 'is removed', hand: 'goes to whoever takes over' };
	const form = new PlanForm({
		kind: 'people.leave',
		holds: untrack(() => leaver?.agreed != null),
		start: untrack(() => ({
			person: leaver?.login ?? '',
			when: leaver?.told || leaver?.ends ? 'day' : 'now',
			at: leaver?.ends ? localMoment(zone, leaver.ends - 1).slice(0, 10) : '',
			sessions: leaver?.agreed?.sessions ?? ('ask' as (typeof SESSION_ENDS)[number]),
			words:
				leaver?.agreed?.words ??
				'Your time here ends now. Please save and sign out; in a quarter of an hour you are signed out.',
			to: leaver?.agreed?.to ?? '',
			after: leaver?.agreed?.after ?? ('remove' as (typeof AFTERWARDS)[number]),
			keepDays: String(leaver?.agreed?.keepDays ?? 30)
		})),
		input: (f) => ({
			person: f.person,
			...(leaver?.told ? {} : f.when === 'now' ? { at: 'now' } : { at: f.at }),
			sessions: f.sessions,
			...(f.sessions === 'ask' ? { words: f.words } : {}),
			to: f.to || null,
			after: f.after,
			keepDays: Number(f.keepDays)
		}),
		wrong: (f) => ({
			...(f.person ? {} : { person: 'Say who leaves.' }),
			...(leaver?.told || f.when === 'now' || f.at ? {} : { at: 'Write a day such as Tue 17 Nov.' }),
			...(/^\d{1,3}$/.test(f.keepDays.trim()) ? {} : { keepDays: 'Write whole days, such as 30.' })
		}),
		beside: (path) => path,
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h2 class="head">
	{leaver ? `${leaver.name} leaves` : 'Somebody leaves'}
	<small>their sign-ins and second factor end with their last moment; what is kept comes back with them</small>
</h2>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<PickField
		label="Who"
		options={findPeople}
		problem={errors.person}
		called={leaver ? leaver.name : f.person}
		bind:value={f.person}
	/>
	{#if leaver?.told}
		<div>
			<span class="text-ink2 block text-[12.5px]">Last day</span>
			<p class="mt-1.5 text-[13.5px]">{leaver.ends === null ? 'none is known' : dayWords(zone, leaver.ends - 1)}</p>
			<p class="text-ink3 mt-1 text-[12px]">as {leaver.told} says</p>
		</div>
	{:else}
		<Field label="When"
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.when}
					><option value="now">now</option><option value="day">at the end of a day</option></select
				>{/snippet}</Field
		>
		{#if f.when === 'day'}<WhenField label="Last day" {zone} {now} problem={errors.at} bind:value={f.at} />{/if}
	{/if}
	<Field label="Sessions that are open" problem={errors.sessions}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.sessions}
				>{#each ['ask', 'finish', 'end'] as const as s (s)}<option value={s}>{SESSIONS[s]}</option>{/each}</select
			>{/snippet}</Field
	>
	{#if f.sessions === 'ask'}<div class="col-span-2">
			<TextField label="What they read" problem={errors.words} bind:value={f.words} />
		</div>{/if}
	<PickField
		label="Who takes over"
		none="nobody"
		options={findPeople}
		problem={errors.to}
		called={f.to}
		bind:value={f.to}
	/>
	<TextField label="Days that machine and files are kept" problem={errors.keepDays} bind:value={f.keepDays} />
	<Field label="What is kept then" problem={errors.after}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.after}
				>{#each AFTERWARDS as a (a)}<option value={a}>{AFTER[a]}</option>{/each}</select
			>{/snippet}</Field
	>
	<div class="col-span-4"><FormEnd {form} words="Plan their leave" {close} /></div>
</form>
