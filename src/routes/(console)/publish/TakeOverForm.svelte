<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	interface Props {
		choices: {
			sites: { id: string; name: string }[];
			folders: string[];
			lines: { id: string }[];
			existing: { name: string; site: string; kind: string; system: string }[];
		};
		close: string;
	}
	let { choices, close }: Props = $props();
	const form = new PlanForm({
		kind: 'pool.take-over',
		start: untrack(() => ({
			name: '',
			site: choices.existing[0]?.site ?? choices.sites[0]?.id ?? '',
			line: choices.lines[0]?.id ?? '',
			assignment: 'personal',
			perMachine: 1,
			folder: choices.folders[0] ?? '',
			accounts: 'adopt',
			csv: ''
		})),
		input: (x) => ({ ...x, perMachine: x.assignment === 'personal' ? 1 : x.perMachine }),
		beside: (path) => (path === 'policy.hours' ? 'form' : path),
		parts: { make: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const there = $derived(choices.existing.filter((m) => m.site === f.site));
	/** What is wrong with the list, line by line. */
	const lines = $derived(
		Object.entries(errors)
			.filter(([field]) => field.startsWith('csv'))
			.map(([, words]) => words)
	);
	async function read(e: Event & { currentTarget: HTMLInputElement }) {
		const file = e.currentTarget.files?.[0];
		if (file && file.size <= 1_000_000) f.csv = await file.text();
		else if (file) form.errors = { csv: 'The file is larger than a megabyte.' };
	}
</script>

<h3 class="head">
	Take machines over <small>virtual or physical, as they are: they follow no version until you give them a rule</small>
</h3>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField label="Name" problem={errors.name} bind:value={f.name} />
	<Field label="Site" problem={errors.site}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
				>{#each choices.sites as s (s.id)}<option value={s.id}>{s.name}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Image line" hint="they may follow later" problem={errors.line}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.line}
				>{#each choices.lines as l (l.id)}<option>{l.id}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Kept by" problem={errors.assignment}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.assignment}
				><option value="personal">personal: by name, or at first sign-in</option><option value="shared"
					>shared: any free one</option
				></select
			>{/snippet}</Field
	>
	{#if f.assignment === 'shared'}<TextField
			label="Sessions a machine"
			problem={errors.perMachine}
			type="number"
			min="1"
			bind:value={f.perMachine}
		/>{/if}
	<Field label="Folder for accounts" problem={errors.folder}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.folder}
				>{#each choices.folders as x (x)}<option>{x}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Accounts that exist" problem={errors.accounts}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.accounts}
				><option value="adopt">are adopted, and moved there</option><option value="refuse">are refused</option></select
			>{/snippet}</Field
	>
	<div>
		<label class="text-ink2 text-[12.5px]" for="take-over-file">From a file</label>
		<input id="take-over-file" type="file" accept=".csv,text/csv" class="file-field" onchange={read} />
	</div>
	<div class="col-span-2">
		<Field label="List of machines" hint="CSV: name, kind, owner" problem={errors.csv}
			>{#snippet children(p)}<textarea
					{...p}
					class="field font-mono text-[12.5px]"
					rows="7"
					spellcheck="false"
					bind:value={f.csv}
					placeholder="name,kind,owner"
					aria-invalid={lines.length > 0}></textarea>{/snippet}</Field
		>
		{#if lines.length && !errors.csv}<ul class="text-buoy text-[12.5px]" role="alert" aria-label="Problems of the list">
				{#each lines as l (l)}<li>{l}</li>{/each}
			</ul>{/if}
	</div>
	<div class="col-span-2 text-[13px]">
		<span class="text-ink2 text-[12.5px]">There at this site, in nobody’s pool</span>
		<ul class="mt-1">
			{#each there as m (m.name)}<li>
					{m.name} <span class="text-ink3">{m.kind}, {m.system}</span>
				</li>{:else}<li class="text-ink3">none</li>{/each}
		</ul>
		{#if there.length}<button
				type="button"
				class="btn mt-1.5"
				onclick={() => (f.csv = ['name,kind,owner', ...there.map((m) => `${m.name},${m.kind},`)].join('\n'))}
				>List them all</button
			>{/if}
	</div>
	<div class="col-span-4"><FormEnd {form} words="Plan to take them over" {close} /></div>
</form>
