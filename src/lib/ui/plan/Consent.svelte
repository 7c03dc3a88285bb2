<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { toast } from 'svelte-sonner';
	import type { Fact } from '$lib/core/why/explained';
	import { momentWords } from '$lib/core/time/zone';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import Why from '$lib/ui/why/Why.svelte';
	import { call, refusalWords } from './api';

	/** What a plan waits for that another has to consent to, and the answer to it. */
	interface Props {
		plan: number;
		consent: {
			ask: { by: string; at: number; notBefore: number | null; why: Fact[] };
			since: Fact[];
			worse: Fact[];
			against: Fact[];
			now: string;
			mayAnswer: string | null;
		};
		zone: string;
		/** Whether whoever looks may commit it without, in an emergency. */
		emergency: boolean;
	}
	let { plan, consent, zone, emergency }: Props = $props();
	let busy = $state(false);
	let words = $state('');
	let problem = $state('');
	let open: 'no' | 'glass' | null = $state(null);

	async function answer(path: string, body: unknown, said: string) {
		if (busy) return;
		busy = true;
		const got = await call<{ job: number } | null>('POST', `/plans/${plan}/${path}`, body);
		busy = false;
		if (!got.ok) {
			problem = got.refusal.errors.map((e) => e.words).join(' ');
			if (!problem)
				toast.error(got.refusal.title, {
					description: got.refusal.reasons.map((r) => r.words).join('; ') || refusalWords(got.refusal)
				});
			return invalidateAll();
		}
		toast.success(said);
		if (got.value?.job) await goto(`/jobs/${got.value.job}`);
		else await goto('/', { invalidateAll: true });
	}
	const withWords = (path: string, body: (words: string) => unknown, said: string) => (e: SubmitEvent) => {
		e.preventDefault();
		problem = words.trim() === '' ? 'Say why: it will be read.' : '';
		if (!problem) void answer(path, body(words.trim()), said);
	};
</script>

<section class="border-hair mb-3 rounded-md border px-3 py-2" aria-label="Consent">
	<h2 class="head">
		It waits for the consent of another <small>asked by {consent.ask.by}, {momentWords(zone, consent.ask.at)}</small>
	</h2>
	<Why facts={consent.ask.why} {zone} />
	{#if consent.ask.notBefore !== null}<p class="mt-1 text-[13px]">
			To be carried out {momentWords(zone, consent.ask.notBefore)}, or at once if consent comes later.
		</p>{/if}
	<h3 class="head mt-2">Since it was asked for</h3>
	{#if consent.since.length || consent.worse.length || consent.against.length}<Why
			facts={[...consent.against, ...consent.since, ...(consent.since.length ? [] : consent.worse)]}
			{zone}
		/>
	{:else}<p class="text-[13px]">Nothing has changed: it does what it did then.</p>{/if}
	{#if consent.mayAnswer === null}
		<div class="mt-2 flex gap-2">
			<button
				class="btn btn-go"
				disabled={busy || consent.against.length > 0}
				onclick={() => answer('consent', { now: consent.now }, 'It is on its way.')}
				>{consent.worse.length ? 'Consent to it as it is now' : 'Consent'}</button
			>
			<button
				class="btn"
				disabled={busy}
				aria-expanded={open === 'no'}
				onclick={() => (open = open === 'no' ? null : 'no')}>Decline</button
			>
		</div>
	{:else}
		<p class="text-ink2 mt-2 text-[13px]">{consent.mayAnswer}</p>
		{#if emergency}<button
				class="btn mt-2"
				disabled={busy}
				aria-expanded={open === 'glass'}
				onclick={() => (open = open === 'glass' ? null : 'glass')}>Without consent, in an emergency</button
			>{/if}
	{/if}
	{#if open === 'no'}
		<form
			class="mt-2 flex items-start gap-2"
			novalidate
			onsubmit={withWords('decline', (w) => ({ words: w }), 'They are told.')}
		>
			<div class="flex-1"><TextField label="Why not" {problem} bind:value={words} /></div>
			<button class="btn mt-[20px]" disabled={busy}>Decline it</button>
		</form>
	{:else if open === 'glass'}
		<form
			class="mt-2 flex items-start gap-2"
			novalidate
			onsubmit={withWords('commit', (w) => ({ emergency: w }), 'It is on its way, and everybody is told.')}
		>
			<div class="flex-1">
				<TextField label="Why it cannot wait" hint="everybody is told" {problem} bind:value={words} />
			</div>
			<button class="btn mt-[20px]" disabled={busy}>Commit without consent</button>
		</form>
	{/if}
</section>
