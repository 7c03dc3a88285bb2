<script lang="ts">
	import { page } from '$app/state';
	import { momentWords } from '$lib/core/time/zone';
	import Field from '$lib/ui/forms/Field.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import { findPeople } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import SecureNav from '$lib/ui/secure/SecureNav.svelte';
	import Why from '$lib/ui/why/Why.svelte';
	import ConditionsForm from './ConditionsForm.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const editing = $derived(Number(page.url.searchParams.get('grant') ?? 0));
	const q = $derived(page.url.searchParams);
	const kept = $derived([...q].filter(([k]) => ['scope', 'at'].includes(k)));
	// Each for itself: while none of them changes, what somebody is typing stays when the page is brought up to date.
	const who = $derived(data.test.login);
	const from = $derived(q.get('from') ?? '');
	const when = $derived(data.test.written);
</script>

<h1 class="sr-only">Secure</h1>
<div class="px-[18px] py-3">
	<SecureNav />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">
			Grants have no forecast: this is the present. The tester below answers for the moment chosen.
		</p>{/if}
	<LeftOut left={data.left} of="grants" />
	<h2 class="head">Grants and their conditions <small>all conditions of a grant have to hold</small></h2>
	<table class="grid-table mt-1">
		<thead
			><tr
				><th>publication</th><th>to</th><th>kind</th><th>conditions</th><th>channels passed through</th><th class="num"
					>refused in 24 h</th
				><th><span class="sr-only">actions</span></th></tr
			></thead
		>
		<tbody>
			{#each data.grants as g (g.id)}
				<tr>
					<td
						><a class="link" data-row href={addressWith(page.url, { card: `grant/${g.id}` })}>{g.publicationName}</a
						></td
					>
					<td>{g.toName} <span class="text-ink3 text-[12px]">{g.toKind}</span></td>
					<td class="text-ink2">{g.kind}</td>
					<td class={g.words === 'no conditions' ? 'text-ink3' : ''}>{g.words}</td>
					<td class="text-ink2">{g.channels.join(', ') || 'none'}</td>
					<td class="num">{g.refused}</td>
					<td class="num"
						>{#if may('grant.change')}<a
								class="text-sea"
								href={addressWith(page.url, { grant: editing === g.id ? null : g.id })}
								>{editing === g.id ? 'leave it' : 'change'}<span class="sr-only">
									grant of {g.publicationName} to {g.toName}</span
								></a
							>{/if}</td
					>
				</tr>
				{#if editing === g.id}
					<tr
						><td colspan="7" class="bg-sheet"><ConditionsForm grant={g} zone={data.zone} now={data.look.known} /></td
						></tr
					>
				{/if}
			{:else}
				<tr><td colspan="7" class="text-ink2 py-4">No grant lies in this scope. Grants are made in Publish.</td></tr>
			{/each}
		</tbody>
	</table>

	<h2 class="head mt-6">Try it out <small>this person, that publication, from there, at that time</small></h2>
	<form
		class="mt-1 grid grid-cols-[1.2fr_1.2fr_1fr_1.5fr_1fr_1fr_auto] items-start gap-x-3"
		method="GET"
		data-sveltekit-keepfocus
		data-sveltekit-noscroll
	>
		{#each kept as [k, v] (k)}<input type="hidden" name={k} value={v} />{/each}
		<PickField
			label="Person"
			options={findPeople}
			called={data.test.name}
			problem={data.test.asked && !data.test.answer ? 'The directory knows nobody of that login.' : undefined}
			name="who"
			value={who}
		/>
		<Field label="Publication" problem={undefined}
			>{#snippet children(p)}<select {...p} class="field" name="what"
					>{#each data.publications as x (x.id)}<option value={x.id} selected={x.id === data.test.publication}
							>{x.name}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<TextField label="From address" hint="else their own" name="from" value={from} placeholder="10.21.4.20" />
		<WhenField
			label="When"
			time
			zone={data.test.zone}
			now={data.look.known}
			empty="now"
			problem={data.test.badTime ? 'Write a moment such as Tue 17 Nov 14:30.' : undefined}
			name="when"
			value={when}
		/>
		<Field label="Endpoint" problem={undefined}
			>{#snippet children(p)}<select {...p} class="field" name="managed"
					>{#each [['', 'as theirs is'], ['yes', 'managed'], ['no', 'not managed']] as [v, w] (v)}<option
							value={v}
							selected={v === (q.get('managed') ?? '')}>{w}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<Field label="Second factor" problem={undefined}
			>{#snippet children(p)}<select {...p} class="field" name="factor"
					>{#each [['yes', 'given'], ['no', 'not given']] as [v, w] (v)}<option
							value={v}
							selected={v === (q.get('factor') ?? 'yes')}>{w}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<button class="btn btn-go mt-[20px]">Try</button>
	</form>
	{#if data.test.answer}
		{@const a = data.test.answer}
		<section
			class={[
				'mt-3 rounded-lg border px-4 py-3',
				a.value.allowed ? 'border-kelp bg-kelpwash' : 'border-buoy bg-buoywash'
			]}
			aria-label="Answer"
		>
			<p class="text-[15px] font-[650]">
				{a.value.allowed ? 'Yes' : 'No'}, {data.test.login}
				{a.value.allowed ? 'may' : 'may not'} open {data.publications.find((x) => x.id === data.test.publication)?.name}
				{momentWords(a.request.zone, data.test.when)} in their zone, from {a.request.address}.
			</p>
			{#if a.value.allowed}<p class="text-ink2 text-[13px]">
					Passed through: {a.value.channels.join(', ') || 'nothing'}.
					{#if data.test.kept.length}Access rules keep back: {#each data.test.kept as k, i (k.words)}{i > 0
								? ', '
								: ''}{#if k.rule}<a class="link" href={addressWith(page.url, { card: `access-rule/${k.rule}` })}
									>{k.words}</a
								>{:else}{k.words}{/if}{/each}.{/if}
				</p>{:else}<p class="text-ink2 text-[13px]">They are told: “{a.value.advice}”</p>{/if}
			<div class="mt-2"><Why facts={a.facts} zone={data.zone} /></div>
			{#if data.test.landing}
				{@const l = data.test.landing}
				<p class="mt-3 text-[13.5px] font-[600]">
					{l.value.resumes
						? `They would go on where they are, on ${l.value.resumes}.`
						: l.value.first
							? `They would be given a machine of ${l.value.first}.`
							: l.value.pools.length
								? 'They would wait: no pool that may serve them has room.'
								: 'No pool may serve them.'}
				</p>
				<div class="mt-1"><Why facts={l.facts} zone={data.zone} /></div>
			{/if}
		</section>
	{/if}
</div>
