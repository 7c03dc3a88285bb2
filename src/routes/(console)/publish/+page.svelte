<script lang="ts">
	import { page } from '$app/state';
	import { imageWords } from '$lib/core/images/versions';
	import { numberWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import GrantForm from './GrantForm.svelte';
	import PoolForm from './PoolForm.svelte';
	import TakeOverForm from './TakeOverForm.svelte';
	import PublicationForm from './PublicationForm.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const open = (make: string, edit: string | null = null) => addressWith(page.url, { make, edit });
	const close = $derived(addressWith(page.url, { make: null, edit: null }));
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
		<h2 class="head">Pools <small>machines made alike from a version</small></h2>
		<span class="ml-auto flex gap-2">
			{#if may('pool.create')}<a class="btn" href={open('pool')}>Make a pool</a>{/if}
			{#if may('pool.take-over') && data.choices.existing.length}<a class="btn" href={open('taken')}
					>Take machines over</a
				>{/if}
			{#if may('publication.create')}<a class="btn" href={open('publication')}>Publish a desktop</a>{/if}
			{#if may('grant.add')}<a class="btn" href={open('grant')}>Grant</a>{/if}
		</span>
	</div>
	{#if data.make}
		<section class="border-sea bg-sheet my-3 rounded-lg border p-4" aria-label="Make">
			{#if data.make === 'pool'}<PoolForm choices={data.choices} {close} />
			{:else if data.make === 'taken'}<TakeOverForm choices={data.choices} {close} />
			{:else if data.make === 'publication'}
				{#key data.edit?.id}<PublicationForm pools={data.choices.pools} edit={data.edit} {close} />{/key}
			{:else}<GrantForm publications={data.publications} teams={data.choices.teams} {close} />{/if}
		</section>
	{/if}
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

	<h2 class="head mt-6">Publications <small>what people see on their shelf, and which pools serve it</small></h2>
	<table class="grid-table mt-1">
		<thead
			><tr
				><th>publication</th><th>people see</th><th>served by</th><th>protocol</th><th class="num">grants</th><th
					class="num">people</th
				><th class="num">in use by</th><th><span class="sr-only">actions</span></th></tr
			></thead
		>
		<tbody>
			{#each data.publications as p (p.id)}
				<tr>
					<td
						><a class="link" data-row href={addressWith(page.url, { card: `publication/${p.id}` })}>{p.internalName}</a
						></td
					>
					<td>{p.name}</td>
					<td class="text-ink2"
						>{#each p.served as s, i (s.id)}{i ? ', ' : ''}<a
								class="hover:text-sea"
								href={addressWith(page.url, { card: `pool/${s.id}` })}>{s.name}</a
							>{/each}</td
					>
					<td class="text-ink2">{p.protocol}</td>
					<td class="num">{numberWords(p.grants)}</td><td class="num">{numberWords(p.people)}</td><td class="num"
						>{numberWords(p.inUse)}</td
					>
					<td class="num"
						>{#if may('publication.change')}<a class="link" href={open('publication', p.id)}
								>Change<span class="sr-only">{p.internalName}</span></a
							>{/if}</td
					>
				</tr>
			{:else}
				<tr><td colspan="8" class="text-ink2 py-4">Nothing that is published lies in this scope.</td></tr>
			{/each}
		</tbody>
	</table>

	<h2 class="head mt-6">
		Who gets what <small>people of each team, teams below counted in; press a figure for its grants</small>
	</h2>
	<div class="overflow-x-auto">
		<table class="grid-table mt-1">
			<thead>
				<tr>
					<th>team</th><th class="num">people</th>
					{#each data.publications as p (p.id)}
						<th class="num"
							><a
								class="hover:text-sea"
								href={addressWith(page.url, { card: `publication/${p.id}` })}
								title="people see “{p.name}”">{showWide ? p.internalName : p.name}</a
							></th
						>
					{/each}
				</tr>
			</thead>
			<tbody>
				{#each data.who.teams as t (t.id)}
					<tr>
						<td style="padding-left:{8 + t.depth * 16}px"
							><a
								class="hover:text-sea"
								data-row
								href={addressWith(page.url, { scope: `team:${t.id}`, list: 'people' }, '/watch')}>{t.name}</a
							></td
						>
						<td class="num text-ink3">{numberWords(t.people)}</td>
						{#each data.publications as p (p.id)}
							{@const c = data.who.cells[`${t.id}/${p.id}`]}
							<td class="num"
								>{#if c}<a
										class={c.people === t.people ? 'link' : 'text-sea'}
										href={addressWith(page.url, { card: `grant/${c.grants[0]}` })}>{numberWords(c.people)}</a
									>{:else}<span class="text-ink3">–</span>{/if}</td
							>
						{/each}
					</tr>
				{/each}
			</tbody>
			<tfoot>
				<tr
					><td class="font-semibold">everybody</td><td></td>{#each data.who.publications as p (p.id)}<td
							class="num font-semibold">{numberWords(p.people)}</td
						>{/each}</tr
				>
			</tfoot>
		</table>
	</div>
	<p class="text-ink3 mt-2 text-[12.5px]">
		For one person: find them with Ctrl K; their card lists each publication with the grant it comes from.
	</p>
</div>
