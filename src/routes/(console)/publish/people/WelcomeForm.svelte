<script lang="ts">
	import { untrack } from 'svelte';
	import { countWords, moneyWords, sizeWords } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import { findPeopleToCome } from '$lib/ui/forms/finding';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Makes ready for people who begin: teams, publications, a machine of their own, an invitation. */
	interface Props {
		welcome: {
			people: {
				login: string;
				name: string;
				place: string;
				begins: string | null;
				mail: string | null;
				own: boolean;
			}[];
			fit: {
				best: string | null;
				fits: {
					id: string;
					name: string;
					assignment: 'shared' | 'personal';
					share: number;
					short: readonly string[];
					month: number;
					free: number;
					cores: number;
					memory: number;
					gpus: number;
					perMachine: number;
				}[];
				facts: { words: string; side?: string | undefined }[];
				peers: number;
				where: 'site' | 'team';
			} | null;
			devices: { free: number; without: number } | null;
			pools: { id: string; name: string }[];
			publications: { id: string; name: string }[];
		};
		teams: { id: string; name: string }[];
		close: string;
	}
	let { welcome, teams, close }: Props = $props();
	const best = $derived(welcome.fit?.fits.find((f) => f.id === welcome.fit!.best));
	const form = new PlanForm({
		kind: 'people.welcome',
		start: untrack(() => ({
			people: welcome.people.map((p) => p.login),
			teams: [] as string[],
			publications: [] as string[],
			pool: best?.assignment === 'personal' ? best.id : '',
			device: (welcome.devices && welcome.devices.without > 0 && welcome.devices.free > 0 ? 'keep' : 'none') as
				'keep' | 'none',
			invite: 'yes' as 'yes' | 'no',
			days: '7'
		})),
		input: (f) => ({
			people: f.people,
			...(f.teams.length ? { teams: f.teams } : {}),
			...(f.publications.length ? { publications: f.publications } : {}),
			pool: f.pool || null,
			device: f.device === 'keep',
			invite: f.invite === 'yes',
			...(f.invite === 'yes' ? { days: Number(f.days) } : {})
		}),
		wrong: (f) => ({
			...(f.people.length ? {} : { people: 'Say who.' }),
			...(f.invite === 'no' || /^\d{1,2}$/.test(f.days.trim()) ? {} : { days: 'Write whole days, such as 7.' })
		}),
		beside: (path) => path.replace(/\.\d+$/, ''),
		parts: { make: null, people: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const title = $derived(
		welcome.people.length === 0
			? 'Welcome somebody'
			: welcome.people.length === 1
				? `Welcome ${welcome.people[0]!.name}`
				: `Welcome ${countWords(welcome.people.length, 'person', 'people')}`
	);
	const sizeOf = (d: { cores: number; memory: number; gpus: number; perMachine: number }) =>
		`${d.cores} cores, ${sizeWords(d.memory)}${d.gpus ? ', GPU' : ''}${d.perMachine > 1 ? `, for ${d.perMachine}` : ''}`;
</script>

<h2 class="head">
	{title}
	<small
		>{welcome.people.length === 1
			? [welcome.people[0]!.place, welcome.people[0]!.begins && `begins ${welcome.people[0]!.begins}`]
					.filter(Boolean)
					.join(' · ')
			: 'each gets the same'}</small
	>
</h2>
<div class="mt-2 grid grid-cols-[minmax(0,1fr)_minmax(0,1.1fr)] gap-x-6">
	<form class="grid grid-cols-2 content-start gap-x-4" onsubmit={form.submit} novalidate>
		<div class="col-span-2">
			<PickManyField
				label="Who"
				none="choose"
				options={findPeopleToCome}
				called={Object.fromEntries(welcome.people.map((p) => [p.login, p.name]))}
				problem={errors.people}
				bind:value={f.people}
			/>
		</div>
		<Field label="A machine of their own" problem={errors.pool}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.pool}
					><option value="">none</option>{#each welcome.pools as s (s.id)}<option value={s.id}>{s.name}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<div>
			<PickManyField
				label="Also opens"
				none="by their teams alone"
				options={welcome.publications}
				problem={errors.publications}
				bind:value={f.publications}
			/>
		</div>
		{#if welcome.people.every((p) => p.own) && welcome.people.length > 0}
			<div>
				<PickManyField
					label="Also in"
					none="no other team"
					options={teams}
					problem={errors.teams}
					bind:value={f.teams}
				/>
			</div>
		{/if}
		{#if welcome.devices}<Field label="An endpoint" hint="{welcome.devices.free} free there" problem={errors.device}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.device}
						><option value="keep">kept for each who has none</option><option value="none">none</option></select
					>{/snippet}</Field
			>{/if}
		<Field label="Invitation" problem={errors.invite}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.invite}
					><option value="yes">a link by mail</option><option value="no">none</option></select
				>{/snippet}</Field
		>
		{#if f.invite === 'yes'}<TextField
				label="The link counts for"
				hint="days, from the first day on"
				problem={errors.days}
				bind:value={f.days}
			/>{/if}
		<div class="col-span-2"><FormEnd {form} words="Plan the welcome" {close} /></div>
	</form>
	{#if welcome.fit}
		<section aria-label="Which desk fits">
			<h3 class="head">
				Which desk fits <small
					>by what {countWords(welcome.fit.peers, 'peer')} of the team{welcome.fit.where === 'site' ? ' there' : ''} used
					in 14 days</small
				>
			</h3>
			<table class="grid-table mt-1">
				<thead
					><tr
						><th>pool</th><th>each</th><th class="num">fits</th><th class="num">a month</th><th class="num">free</th
						></tr
					></thead
				>
				<tbody
					>{#each welcome.fit.fits.slice(0, 6) as d (d.id)}
						<tr>
							<td
								>{d.name}{#if d.id === welcome.fit.best}<span class="pill pill-kelp ml-1">fits best</span>{/if}</td
							>
							<td class="text-ink2">{sizeOf(d)}</td>
							<td class="num">{Math.round(d.share * 100)} %</td>
							<td class="num">{moneyWords(d.month)}</td>
							<td class="num">{d.free} {d.assignment === 'personal' ? '' : 'seats'}</td>
						</tr>
					{/each}</tbody
				>
			</table>
			<ul class="text-ink2 mt-1 text-[12.5px]">
				{#each welcome.fit.facts as x (x.words)}<li class={x.side === 'against' ? 'text-sand' : ''}>
						{x.words}
					</li>{/each}
			</ul>
		</section>
	{/if}
</div>
