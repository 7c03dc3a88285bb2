<script lang="ts">
	import { page } from '$app/state';
	import { imageWords } from '$lib/core/images/versions';
	import { numberWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import PublicationIcon from '$lib/ui/publish/PublicationIcon.svelte';
	import GrantForm from './GrantForm.svelte';
	import PoolForm from './PoolForm.svelte';
	import TakeOverForm from './TakeOverForm.svelte';
	import PublicationForm from './PublicationForm.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const open = (make: string, edit: string | null = null) => addressWith(page.url, { make, edit });
	const close = $derived(addressWith(page.url, { make: null, edit: null }));
	function movedUp(i: number): string[] {
		const order = data.publications.map((p) => p.id);
		[order[i - 1], order[i]] = [order[i]!, order[i - 1]!];
		return order;
	}
	const showWide = $derived(!(data.card || data.plan));
</script>

<h1 class="sr-only">Publish</h1>
<div class="px-[18px] py-3">
	<PublishNav />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">
			Publications have no forecast: this is the present.
		</p>{/if}
	<LeftOut left={data.left} of="pools, publications and teams" />
	<div class="flex items-baseline gap-2">
		<h2 class="head">Publications <small>what people see on their shelf, and which pools serve it</small></h2>
		<span class="ml-auto flex gap-2">
			{#if may('publication.create')}<a class="btn" href={open('publication')}>Publish</a>{/if}
			{#if may('grant.add')}<a class="btn" href={open('grant')}>Grant</a>{/if}
		</span>
	</div>
	{#if data.make}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Make">
			{#if data.make === 'pool'}<PoolForm choices={data.choices} {close} />
			{:else if data.make === 'taken'}<TakeOverForm choices={data.choices} {close} />
			{:else if data.make === 'publication'}
				{#key data.edit?.id}<PublicationForm
						pools={data.choices.pools}
						targets={data.choices.targets}
						services={data.choices.services}
						cannot={data.choices.cannot}
						teams={data.choices.teams}
						edit={data.edit}
						{close}
					/>{/key}
			{:else}<GrantForm
					publications={data.publications}
					teams={data.choices.teams}
					zone={data.zone}
					now={data.look.known}
					{close}
				/>{/if}
		</section>
	{/if}
	<table class="grid-table mt-1">
		<thead
			><tr
				><th>publication</th><th>people see</th><th>opens</th><th>served by</th><th class="num">grants</th><th
					class="num">people</th
				><th class="num">in use by</th><th class="num">licences</th><th><span class="sr-only">actions</span></th></tr
			></thead
		>
		<tbody>
			{#each data.publications as p, i (p.id)}
				<tr>
					<td
						><a class="link" data-row href={addressWith(page.url, { card: `publication/${p.id}` })}>{p.internalName}</a>
						{#if p.off}<span class="pill pill-sand">off</span>{/if}
						{#each p.remarks as r (r.words)}<div class="text-sand text-[12px]">{r.words}</div>{/each}</td
					>
					<td class="whitespace-nowrap"
						><span class="text-sea mr-1.5"><PublicationIcon icon={p.icon} size={16} /></span>{p.name}</td
					>
					<td class="text-ink2">{p.opens}</td>
					<td class="text-ink2"
						>{#each p.served as s, n (s.id)}{n ? ', ' : ''}<a
								class="hover:text-sea"
								href={addressWith(page.url, { card: `pool/${s.id}` })}>{s.name}</a
							>{/each}{#if p.reaches}<span class="text-ink3">no machine</span>{/if}</td
					>
					<td class="num">{numberWords(p.grants)}</td><td class="num">{numberWords(p.people)}</td><td class="num"
						>{#if p.reaches}<span class="text-ink3">–</span>{:else}{numberWords(p.inUse)}{/if}</td
					>
					<td class={['num', p.licences !== null && p.holders! > p.licences && 'text-buoy']}
						>{#if p.licences !== null}{numberWords(p.holders!)} of {numberWords(p.licences)}{:else}<span
								class="text-ink3">–</span
							>{/if}</td
					>
					<td class="num whitespace-nowrap"
						>{#if may('publication.order') && showWide && !data.look.scope.terms.length && i > 0}<PlanButton
								kind="publication.order"
								input={{ order: movedUp(i) }}
								words="↑"
								label="Move {p.internalName} up on shelves"
								small
							/>{/if}
						{#if may('publication.change')}<a class="link" href={open('publication', p.id)}
								>Change<span class="sr-only">{p.internalName}</span></a
							>{/if}</td
					>
				</tr>
			{:else}
				<tr><td colspan="9" class="text-ink2 py-4">Nothing that is published lies in this scope.</td></tr>
			{/each}
		</tbody>
	</table>
	<p class="text-ink3 mt-2 text-[12.5px]">
		Teams against publications stand under <a class="link" href={addressWith(page.url, {}, '/publish/who')}
			>Who gets what</a
		>; one person’s under
		<a class="link" href={addressWith(page.url, {}, '/publish/shelves')}>Shelves</a>.
	</p>
	<div class="mt-6 flex items-baseline gap-2">
		<h2 class="head">Pools <small>machines made alike from a version</small></h2>
		<span class="ml-auto flex gap-2">
			{#if may('pool.create')}<a class="btn" href={open('pool')}>Make a pool</a>{/if}
			{#if may('pool.take-over') && data.choices.existing.length}<a class="btn" href={open('taken')}
					>Take machines over</a
				>{/if}
		</span>
	</div>
	<table class="grid-table mt-1">
		<thead
			><tr
				><th>pool</th><th>site</th><th>image</th><th>kind</th><th class="num">machines</th><th class="num">up</th><th
					class="num">sessions</th
				></tr
			></thead
		>
		<tbody>
			{#each data.pools as p (p.id)}
				<tr>
					<td><a class="link" data-row href={addressWith(page.url, { card: `pool/${p.id}` })}>{p.name}</a></td>
					<td>{p.siteName}</td>
					<td
						><a class="hover:text-sea" href={addressWith(page.url, { card: `version/${p.line}/${p.version}` })}
							>{imageWords(p.line, p.version)}</a
						></td
					>
					<td class="text-ink2">{p.assignment}{p.perMachine > 1 ? `, ${p.perMachine} sessions each` : ''}</td>
					<td class="num">{numberWords(p.machines)}</td><td class="num">{numberWords(p.up)}</td><td class="num"
						>{numberWords(p.sessions)}</td
					>
				</tr>
				{#if p.unmade.length}
					<tr>
						<td colspan="7" class="bg-buoywash">
							<div class="flex items-start gap-3">
								<div class="text-buoy flex-1 text-[12.5px]">
									{#each p.unmade as u (u.name)}<div>{u.name} could not be made: {u.reason}</div>{/each}
								</div>
								{#if may('pool.grow')}<PlanButton
										kind="pool.grow"
										input={{ pool: p.id, retry: true }}
										words="Retry these alone"
									/>{/if}
							</div>
						</td>
					</tr>
				{/if}
			{:else}
				<tr
					><td colspan="7" class="text-ink2 py-4"
						>No pool lies in this scope. {may('pool.create') ? 'Make one from an image version.' : ''}</td
					></tr
				>
			{/each}
		</tbody>
	</table>
</div>
