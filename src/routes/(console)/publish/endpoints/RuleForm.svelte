<script lang="ts">
	import { untrack } from 'svelte';
	import { readCondition } from '$lib/core/endpoints/condition';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Adds a rule to the list, or changes one: what the whole list would do is worked out as one types. */
	interface Rule {
		id?: number;
		name: string;
		condition: string;
		into: string;
		bySite: boolean;
		whom: 'new' | 'all';
		often: 'start' | 'once';
		deeper: 'stay' | 'move';
	}
	interface Props {
		rules: Rule[];
		edit: number | null;
		branches: { id: string; path: string }[];
		sites: { id: string; name: string }[];
		teams: { id: string; name: string }[];
		close: string;
	}
	let { rules, edit, branches, sites, teams, close }: Props = $props();
	const was = untrack(() => rules.find((r) => r.id === edit) ?? null);
	const others = untrack(() => rules.filter((r) => r !== was));
	/** The place of a rule in the list: before which of the others. */
	const place = untrack(() => (was ? String(rules.indexOf(was)) : String(others.length)));
	const form = new PlanForm({
		kind: 'rules.set',
		holds: was !== null,
		start: untrack(() => ({
			name: was?.name ?? '',
			condition: was?.condition ?? '',
			into: was?.into ?? branches[0]?.id ?? '',
			bySite: was?.bySite ? 'site' : 'there',
			whom: was?.whom ?? ('all' as Rule['whom']),
			often: was?.often ?? ('start' as Rule['often']),
			deeper: was?.deeper ?? ('stay' as Rule['deeper']),
			place
		})),
		input: (f) => {
			const rule = {
				...(was?.id === undefined ? {} : { id: was.id }),
				name: f.name,
				condition: f.condition,
				into: f.into,
				bySite: f.bySite === 'site',
				whom: f.whom,
				often: f.often,
				deeper: f.deeper
			};
			const at = Number(f.place);
			return { rules: [...others.slice(0, at), rule, ...others.slice(at)] };
		},
		wrong: (f) => {
			const read = f.condition.trim() === '' ? null : readCondition(f.condition);
			return {
				...(f.name.trim() ? {} : { name: 'Write a name.' }),
				...(read === null
					? { condition: 'Write a condition, or any device.' }
					: 'is' in read
						? {}
						: { condition: `At sign ${read.at + 1}: ${read.words}` })
			};
		},
		beside: (path) => path.replace(/^rules\.\d+\./, ''),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const CHIPS = [
		'address in ',
		'site is ',
		'team is ',
		'model ~ ',
		'firmware >= ',
		'name ~ ',
		'serial ~ ',
		'not ',
		'or '
	];
	/** Adds a part to what is written, joined to it. */
	function add(part: string) {
		const text = f.condition.trimEnd();
		const joined = text === '' || /(?:^|\s)(?:and|or|not)$|\($/.test(text) || part === 'or ' ? text : `${text} and`;
		f.condition = joined === '' ? part : `${joined} ${part}`;
		document.querySelector<HTMLInputElement>('input[name="condition"]')?.focus();
	}
</script>

<h2 class="head">
	{was ? `Change ${was.name}` : 'Add an enrolment rule'}
	<small>the first rule that fits decides; it is tried on every start of the last 30 days before it is saved</small>
</h2>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField label="Name" problem={errors.name} bind:value={f.name} />
	<div class="col-span-3">
		<Field label="Devices for which" problem={errors.condition}
			>{#snippet children(p)}<input
					{...p}
					class="field font-mono text-[13px]"
					name="condition"
					autocomplete="off"
					spellcheck="false"
					placeholder="address in 10.21.4.0/22 and not model ~ Tern*"
					bind:value={f.condition}
				/>{/snippet}</Field
		>
		<p class="flex flex-wrap gap-1 text-[12px]" role="group" aria-label="Add to the condition">
			{#each CHIPS as c (c)}<button
					type="button"
					class="border-hair hover:border-sea rounded border px-1.5 font-mono"
					onclick={() => add(c)}>{c.trim()}</button
				>{/each}
			<select
				class="border-hair rounded border px-1"
				aria-label="Add a site"
				onchange={(e) => {
					if (e.currentTarget.value) add(`site is ${e.currentTarget.value}`);
					e.currentTarget.value = '';
				}}
				><option value="">a site</option>{#each sites as s (s.id)}<option value={s.id}>{s.name}</option>{/each}</select
			>
			<select
				class="border-hair rounded border px-1"
				aria-label="Add a team"
				onchange={(e) => {
					if (e.currentTarget.value) add(`team is ${e.currentTarget.value}`);
					e.currentTarget.value = '';
				}}
				><option value="">a team</option>{#each teams as t (t.id)}<option value={t.id}>{t.name}</option>{/each}</select
			>
		</p>
	</div>
	<Field label="Go into" problem={errors.into}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.into}
				>{#each branches as b (b.id)}<option value={b.id}>{b.path}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Where there" problem={errors.bySite}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.bySite}
				><option value="there">into it</option><option value="site">into the branch below for their site</option
				></select
			>{/snippet}</Field
	>
	<Field label="Which devices" problem={errors.whom}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.whom}
				><option value="all">all</option><option value="new">those that have never stood anywhere</option></select
			>{/snippet}</Field
	>
	<Field label="How often" problem={errors.often}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.often}
				><option value="start">at every start</option><option value="once">once</option></select
			>{/snippet}</Field
	>
	<Field label="Put deeper by hand" problem={errors.deeper}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.deeper}
				><option value="stay">stays there</option><option value="move">is moved</option></select
			>{/snippet}</Field
	>
	<Field label="Tried" problem={errors.place}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.place}
				>{#each others as o, i (o.id)}<option value={String(i)}>before {o.name}</option>{/each}<option
					value={String(others.length)}>last</option
				></select
			>{/snippet}</Field
	>
	<div class="col-span-4"><FormEnd {form} words={was ? 'Plan the change' : 'Plan the rule'} {close} /></div>
</form>
