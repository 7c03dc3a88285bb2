<script lang="ts">
	import { page } from '$app/state';
	import { countWords } from '$lib/core/time/units';
	import { dayWords } from '$lib/core/time/zone';
	import { findPeople } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import PublicationIcon from '$lib/ui/publish/PublicationIcon.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import Why from '$lib/ui/why/Why.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const waiting = $derived(data.requests.filter((r) => r.answer === null));
	const answered = $derived(data.requests.filter((r) => r.answer !== null));
	const STANDING = {
		required: 'required',
		fetched: 'fetched by themselves',
		'can fetch': 'optional, not fetched',
		'can ask': 'not granted, can be asked for'
	};
	// Each for itself: while none of them changes, what somebody is typing stays when the page is brought up to date.
	const who = $derived(data.who);
	const on = $derived(data.on);
</script>

<svelte:head><title>Shelves · Sextant</title></svelte:head>
<h1 class="sr-only">Shelves</h1>
<div class="px-[18px] py-3">
	<PublishNav />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">
			Choose a day below to look ahead; requests are those of the present.
		</p>{/if}
	<LeftOut left={data.left} of="requests" />
	<h2 class="head">
		Requests <small
			>{waiting.length
				? `${countWords(waiting.length, 'waits', 'wait')} for an answer`
				: 'none waits for an answer'}</small
		>
	</h2>
	{#if data.requests.length}
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>who</th><th>asks for</th><th>because</th><th>since</th><th>goes to</th><th
						><span class="sr-only">answer</span></th
					></tr
				></thead
			>
			<tbody>
				{#each [...waiting, ...answered.slice(0, 10)] as r (r.id)}
					<tr>
						<td
							><a class="link" data-row href={addressWith(page.url, { card: `person/${r.login}` })}>{r.person}</a>
							<span class="text-ink3">{r.team}</span></td
						>
						<td
							><a class="hover:text-sea" href={addressWith(page.url, { card: `publication/${r.publication}` })}
								>{r.name}</a
							></td
						>
						<td class="text-ink2">{r.why}</td>
						<td class="text-ink2">{dayWords(data.zone, r.at)}</td>
						<td class="text-ink2">{r.owner ?? 'an operator'}</td>
						<td class="num"
							>{#if r.answer}<span class={['pill', r.answer === 'approved' ? 'pill-kelp' : 'pill-sand']}
									>{r.answer} by {r.answeredBy}</span
								>{:else if may('request.answer')}<span class="flex justify-end gap-2"
									><PlanButton
										kind="request.answer"
										input={{ request: r.id, approve: true }}
										words="Approve"
										label="Approve the request of {r.person}"
									/><PlanButton
										kind="request.answer"
										input={{ request: r.id, approve: false }}
										words="Decline"
										label="Decline the request of {r.person}"
										ask={{ field: 'words', words: 'Why not? They will read it.' }}
									/></span
								>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}
		<p class="text-ink2 mt-1 text-[13.5px]">
			What people ask for stands here. They can ask for publications that say whom requests go to.
		</p>
	{/if}

	<h2 class="head mt-6">A shelf <small>what somebody finds on a day, past or to come</small></h2>
	<form class="mt-2 flex flex-wrap items-end gap-3" method="GET">
		{#each [...page.url.searchParams].filter(([k]) => !['who', 'on', 'card', 'plan'].includes(k)) as [k, v] (k)}<input
				type="hidden"
				name={k}
				value={v}
			/>{/each}
		<div class="w-[280px]">
			<PickField
				label="Person"
				options={findPeople}
				called={data.person?.name ?? data.who}
				problem={data.problem || undefined}
				name="who"
				value={who}
			/>
		</div>
		<div class="w-[260px]">
			<WhenField label="Day" zone={data.zone} now={data.look.known} name="on" value={on} />
		</div>
		<button class="btn mb-[22px]">Look</button>
	</form>
	{#if data.person}
		<h3 class="head mt-4">
			{data.person.name} <small>{data.person.team}; {countWords(data.shelf.length, 'publication')}</small>
		</h3>
		<table class="grid-table mt-1">
			<thead><tr><th>they see</th><th>how</th><th>by</th><th>right then</th><th>why</th></tr></thead>
			<tbody>
				{#each data.shelf as s (s.id)}
					<tr>
						<td
							><span class="text-sea mr-1.5 align-middle"><PublicationIcon icon={s.icon} size={18} /></span><a
								class="link"
								href={addressWith(page.url, { card: `publication/${s.id}` })}>{s.name}</a
							></td
						>
						<td class="text-ink2">{STANDING[s.standing]}</td>
						<td class="text-ink2">{s.by ? `grant to ${s.by}` : '–'}</td>
						<td
							>{#if s.allowed}opens{:else}<span class="text-sand">{s.advice ?? 'does not open'}</span>{/if}</td
						>
						<td
							><details>
								<summary class="text-sea text-[12.5px]">why</summary><Why facts={s.why} zone={data.zone} />
							</details></td
						>
					</tr>
				{:else}<tr><td colspan="5" class="text-ink2">Their shelf is empty on that day.</td></tr>{/each}
			</tbody>
		</table>
	{/if}
</div>
