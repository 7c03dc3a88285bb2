<script lang="ts">
	import { page } from '$app/state';
	import { countWords, numberWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import SecureNav from '$lib/ui/secure/SecureNav.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const percent = (part: number, of: number) => `${Math.round((100 * part) / of)} %`;
</script>

<svelte:head><title>Out of the ordinary · Sextant</title></svelte:head>
<h1 class="sr-only">Out of the ordinary</h1>
<div class="px-[18px] py-3">
	<SecureNav />
	<LeftOut left={data.left} of="what is out of the ordinary" />
	<div class="@container">
		<div class="grid gap-x-6 @min-[980px]:grid-cols-[minmax(0,1fr)_300px]">
			<section class="min-w-0" aria-label="Out of the ordinary">
				<div class="flex flex-wrap items-baseline gap-x-4">
					<h2 class="head">
						Out of the ordinary <small>hours in which somebody did what is unlike them, and unlike their peers</small>
					</h2>
					<nav class="ml-auto flex gap-3 text-[13px]" aria-label="Which of them">
						{#each [{ words: `${numberWords(data.open)} not answered`, answered: false }, { words: `${numberWords(data.done)} answered`, answered: true }] as t (t.answered)}<a
								href={addressWith(page.url, { answered: t.answered ? '1' : null })}
								aria-current={data.answered === t.answered ? 'page' : undefined}
								class={[
									'border-b-2 pb-0.5',
									data.answered === t.answered ? 'border-sea font-[650]' : 'text-ink2 hover:text-sea border-transparent'
								]}>{t.words}</a
							>{/each}
					</nav>
				</div>
				<ul class="mt-1" aria-label="What was found">
					{#each data.found as u (u.id)}
						<li class="border-hair border-b py-[8px] text-[13.5px]">
							<div class="flex flex-wrap items-baseline gap-x-3">
								<a class="link font-[620]" href={addressWith(page.url, { card: `person/${u.login}` })}>{u.name}</a>
								<span class="text-ink2 text-[12.5px]">{u.teamName}</span>
								<span class="text-ink2 text-[12.5px]">{momentWords(u.zone, u.at)} their time</span>
								<span class="text-sand text-[12.5px]"
									>once in about {numberWords(u.odds)} hours of somebody like them</span
								>
								<span class="ml-auto flex gap-2">
									{#if u.answer === null && may('unusual-activity.answer')}
										<span class="text-ink2 text-[12.5px]">Was something wrong?</span>
										<PlanButton
											small
											kind="unusual-activity.answer"
											input={{ id: u.id, wrong: true }}
											words="Yes"
											label="Yes, something was wrong with what {u.name} did"
										/><PlanButton
											small
											kind="unusual-activity.answer"
											input={{ id: u.id, wrong: false }}
											words="No"
											label="No, nothing was wrong with what {u.name} did"
										/>
									{:else if u.answer !== null}<span
											class={['text-[12.5px] font-[620]', u.answer === 'yes' ? 'text-buoy' : 'text-ink2']}
											>{u.answer === 'yes' ? 'something was wrong' : 'nothing was wrong'}</span
										><span class="text-ink2 text-[12.5px]">says {u.by}</span>{/if}
								</span>
							</div>
							<ul class="text-[13px]">
								{#each u.aspects as a (a.aspect)}<li class="flex gap-2">
										<span class="text-ink2 w-[130px] shrink-0 text-[12.5px]">{a.called}</span><span>{a.words}</span>
									</li>{/each}
							</ul>
							<a class="link text-[12.5px]" href="/secure/activity?person={encodeURIComponent(u.login)}"
								>Look at what they reached, saying why</a
							>
						</li>
					{:else}<li class="text-ink2 max-w-[70ch] py-4 text-[13.5px]">
							{data.answered
								? 'Nothing has been answered yet.'
								: 'Nothing of it is open. What somebody does is compared with what they and their team did before, once they were seen on seven days.'}
						</li>{/each}
				</ul>
				{#if data.more}<p class="text-ink2 mt-2 text-[13px]">
						{countWords(data.more, 'more lies', 'more lie')} further back: narrow the scope, or read the list by program.
					</p>{/if}
			</section>
			<aside class="mt-2 min-w-0" aria-label="How often it was right">
				<h2 class="head">How often it was right <small>of those answered</small></h2>
				<ul class="mt-1 text-[13px]">
					{#each data.right as r (r.aspect)}<li class="border-hair flex border-b py-[5px]">
							<span>{r.called}</span><span class="text-ink2 ml-auto tabular-nums"
								>{r.answered === 0
									? 'not answered yet'
									: `${r.yes} of ${r.answered}, ${percent(r.yes, r.answered)}`}</span
							>
						</li>{/each}
				</ul>
				<p class="text-ink2 mt-3 text-[12.5px]">
					Each hour of somebody is compared in five ways with their own days before and with those of their home team.
					It is found where that comes to less than once in 4,000 hours. What they reached is not told here.
				</p>
			</aside>
		</div>
	</div>
</div>
