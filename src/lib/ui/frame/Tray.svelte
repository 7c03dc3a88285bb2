<script lang="ts">
	import { goto, invalidateAll } from '$app/navigation';
	import { instantOf, localMoment } from '$lib/core/time/written';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import { toast } from 'svelte-sonner';
	import { effectWords } from '$lib/core/plans/effects';
	import { call, refusalWords, type Plan } from '$lib/ui/plan/api';
	import { arrive } from './arrive';

	interface Props {
		plan: Plan;
		review: () => void;
		reviewing: boolean;
		/** The time zone that times are written in, and the estate's present. */
		zone: string;
		now: number;
		/** The jobs that are at work. */
		working: readonly { id: number }[];
	}
	let { plan, review, reviewing, zone, now, working }: Props = $props();
	let busy = $state(false);
	let later = $state(false);
	let when = $state('');
	const start = $derived(when ? instantOf(when, zone) : null);

	/** Commits the plan, or says why it is refused. Also Ctrl Enter. */
	export async function commit() {
		if (busy || plan.blocks.length || plan.asked) return;
		busy = true;
		// What an earlier plan came to is read by now: of two jobs, the button is of this one.
		toast.dismiss();
		const answer = await call<{ job: number | null }>(
			'POST',
			`/plans/${plan.id}/commit`,
			later ? { at: start === null ? when : new Date(start).toISOString() } : {}
		);
		busy = false;
		if (answer.ok) {
			const id = answer.value.job;
			if (id === null) {
				toast.success(plan.title, {
					description: 'It waits for the consent of another. It stands on Today for whoever may give it.',
					duration: READABLE
				});
				await away();
				return;
			}
			toast.success(plan.title, {
				description: later && when ? 'It will be carried out at its time.' : 'It is on its way.',
				duration: READABLE,
				action: { label: `Job ${id}`, onClick: () => void goto(`/jobs/${id}`) }
			});
			await away();
		} else {
			toast.error(answer.refusal.title, {
				description: answer.refusal.reasons.map((r) => r.words).join('; ') || refusalWords(answer.refusal)
			});
			await invalidateAll();
		}
	}
	/** Offers a time an hour ahead, on the estate's own clock. */
	function schedule() {
		later = !later;
		if (later && start === null) when = localMoment(zone, now + 3_600_000);
	}
	/** The jobs whose end has been answered, of the plan that is here. */
	let ended: string[] = [];
	// What waited for a job can be committed once the job has ended: nobody has to watch for that.
	$effect(() => {
		const jobs = plan.blocks.flatMap((b) => (b.about?.kind === 'job' ? [b.about.id] : []));
		const over = jobs.filter((id) => !working.some((j) => String(j.id) === id));
		if (busy || over.length < jobs.length || over.every((id) => ended.includes(id))) return;
		ended = over;
		void recompute();
	});
	async function recompute() {
		busy = true;
		const answer = await call('POST', `/plans/${plan.id}/recompute`);
		busy = false;
		if (!answer.ok) toast.error(answer.refusal.title, { description: refusalWords(answer.refusal) });
		await invalidateAll();
	}
	async function discard() {
		busy = true;
		await call('DELETE', `/plans/${plan.id}`);
		busy = false;
		await away();
	}
	/** The tray goes, and everything is asked anew. */
	const away = () => arrive({ plan: null }, { keepFocus: true, noScroll: true, invalidateAll: true });
	/** Long enough to read what it says and to reach for the job, ms. */
	const READABLE = 12_000;
</script>

<section class="bg-deck text-decktext flex items-center gap-4 px-[18px] py-2 text-[13.5px]" aria-label="Plan">
	<b class="text-white">Plan</b>
	<p class="flex-1">
		{plan.title}
		<span class="text-deck2">
			{#each effectWords(plan.effects) as words, i (i)}<span>{` · ${words}`}</span>{/each}
			{#if plan.blocks.length}<span class="text-brass">{` · blocked: ${plan.blocks[0]!.words}`}</span>{/if}
			{#if plan.refused}<span class="text-brass">{` · refused: ${plan.refused[0]?.words}`}</span>{/if}
		</span>
	</p>
	{#if later}
		<div class="tray-when w-[230px]"><WhenField label="at" time {zone} {now} bind:value={when} /></div>
	{/if}
	{#if plan.asked}<a class="link text-brass" href="/plans/{plan.id}">It waits for the consent of another</a>
	{:else}<button class="btn" onclick={schedule} aria-pressed={later}>{later ? 'Now' : 'At a time'}</button>{/if}
	<button class="btn" onclick={review} aria-expanded={reviewing}>Review</button>
	{#if plan.refused || plan.blocks.length}<button class="btn" disabled={busy} onclick={recompute}>Recompute</button
		>{/if}
	<button class="btn" disabled={busy} onclick={discard}>Discard</button>
	{#if !plan.asked}<button
			class="btn btn-brass"
			disabled={busy || plan.blocks.length > 0 || (later && !when)}
			onclick={commit}>Commit</button
		>{/if}
</section>
