<script lang="ts">
	import { GB } from '$lib/core/time/units';
	import type { Fact } from '$lib/core/why/explained';
	import OrderedChoice from '$lib/ui/forms/OrderedChoice.svelte';
	import Why from '$lib/ui/why/Why.svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import { call } from '$lib/ui/plan/api';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { SIZE } from '$lib/ui/forms/measures';
	import { Unread } from '$lib/ui/forms/unread';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { untrack } from 'svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	interface Props {
		choices: {
			sites: { id: string; name: string }[];
			networks: { id: string; site: string; range: string }[];
			folders: string[];
			bootServers: { id: string; site: string }[];
			pools: { id: string; name: string }[];
			lines: { id: string; users: string; versions: { number: string; held: boolean }[] }[];
		};
		close: string;
	}
	let { choices, close }: Props = $props();
	const perMachineOf = (line: string, perMachine: number) =>
		choices.lines.find((l) => l.id === line)?.users === 'multi' ? perMachine : 1;
	const form = new PlanForm({
		kind: 'pool.create',
		start: untrack(() => ({
			name: '',
			site: choices.sites[0]?.id ?? '',
			line: choices.lines[0]?.id ?? '',
			version: '',
			assignment: 'shared',
			perMachine: 1,
			cores: 4,
			memory: (16 * GB) as number | Unread,
			gpus: 0,
			disk: (64 * GB) as number | Unread,
			pageFile: (4 * GB) as number | Unread,
			pageFileOn: 'overlay',
			bootServers: [] as string[],
			accounts: 'refuse',
			beside: '',
			count: 10,
			naming: '',
			from: 1,
			folder: choices.folders[0] ?? '',
			network: '',
			follows: 'exactly',
			over: 'all',
			spareHost: false,
			apart: false
		})),
		input: ({ follows, over, spareHost, apart, beside, ...rest }) => ({
			...rest,
			perMachine: perMachineOf(rest.line, rest.perMachine),
			follows: follows === 'exactly' ? `exactly ${rest.version}` : follows,
			spots: { over, spareHost, apart, beside }
		}),
		beside: (path) => (path === 'policy' || path === 'policy.hours' ? 'form' : path),
		parts: { make: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const line = $derived(choices.lines.find((l) => l.id === f.line));
	const networks = $derived(choices.networks.filter((n) => n.site === f.site));
	let preview: {
		names?: string[];
		clashes?: { name: string; with: string }[];
		short?: number;
		problem?: string;
	} | null = $state(null);

	$effect(() => {
		if (line && !line.versions.some((v) => v.number === f.version))
			f.version = (line.versions.find((v) => !v.held) ?? line.versions[0])?.number ?? '';
	});
	$effect(() => {
		if (!networks.some((n) => n.id === f.network)) f.network = networks[0]?.id ?? '';
	});
	// The names follow as one types; the last answer that still fits is shown.
	let asked = 0;
	$effect(() => {
		const query = `/names?naming=${encodeURIComponent(f.naming)}&count=${f.count || 0}&from=${f.from || 0}&adopt=${encodeURIComponent(f.accounts === 'adopt' ? f.folder : '')}`;
		const mine = ++asked;
		if (!f.naming) {
			preview = null;
			return;
		}
		const timer = setTimeout(async () => {
			const answer = await call<NonNullable<typeof preview>>('GET', query);
			if (mine === asked && answer.ok) preview = answer.value;
		}, 150);
		return () => clearTimeout(timer);
	});
	/** What was measured says how large the disk has to be. */
	let sized: { value: number; facts: Fact[] } | null = $state(null);
	async function compute() {
		if (f.pageFile instanceof Unread) {
			form.errors = { pageFile: f.pageFile.problem };
			return;
		}
		const perMachine = line?.users === 'multi' && f.assignment === 'shared' ? f.perMachine : 1;
		const answer = await call<NonNullable<typeof sized>>(
			'GET',
			`/overlay?line=${encodeURIComponent(f.line)}&perMachine=${perMachine}&pageFile=${f.pageFile}&pageFileOn=${f.pageFileOn}`
		);
		if (!answer.ok) {
			form.errors = { disk: answer.refusal.detail };
			return;
		}
		sized = answer.value;
		f.disk = sized.value;
	}
</script>

<h3 class="head">Make a pool <small>the plan says whether it fits, before anything is made</small></h3>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField label="Name" problem={errors.name} bind:value={f.name} />
	<Field label="Site" problem={errors.site}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
				>{#each choices.sites as s (s.id)}<option value={s.id}>{s.name}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Image line" problem={errors.line}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.line}
				>{#each choices.lines as l (l.id)}<option>{l.id}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Version" problem={errors.version}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.version}
				>{#each line?.versions ?? [] as v (v.number)}<option value={v.number}
						>{v.number}{v.held ? ' (held)' : ''}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<TextField label="How many" problem={errors.count} type="number" min="1" bind:value={f.count} />
	<TextField label="Cores" problem={errors.cores} type="number" min="1" bind:value={f.cores} />
	<MeasureField label="Memory" measure={SIZE} problem={errors.memory} bind:value={f.memory} />
	<TextField label="GPUs" problem={errors.gpus} type="number" min="0" bind:value={f.gpus} />
	<div class="grid grid-cols-[1fr_auto] items-start gap-1.5">
		<MeasureField label="Overlay disk" measure={SIZE} problem={errors.disk} bind:value={f.disk} />
		<button type="button" class="btn mt-[20px]" onclick={compute}>Compute</button>
	</div>
	<MeasureField label="Page file" measure={SIZE} problem={errors.pageFile} bind:value={f.pageFile} />
	<Field label="It lies" problem={errors.pageFileOn}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.pageFileOn}
				><option value="overlay">on the overlay disk</option><option value="apart">on a disk of its own</option></select
			>{/snippet}</Field
	>
	<Field label="Kept by" problem={errors.assignment}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.assignment}
				><option value="shared">shared: any free one</option><option value="personal"
					>personal: one person keeps one</option
				></select
			>{/snippet}</Field
	>
	{#if line?.users === 'multi' && f.assignment === 'shared'}<TextField
			label="Sessions a machine"
			problem={errors.perMachine}
			type="number"
			min="1"
			bind:value={f.perMachine}
		/>{/if}
	<Field label="Network" problem={errors.network}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.network}
				>{#each networks as n (n.id)}<option value={n.id}>{n.id}, {n.range}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Names" hint="# digits, @ letters" problem={errors.naming ?? preview?.problem}
		>{#snippet children(p)}<input
				{...p}
				class="field font-mono"
				bind:value={f.naming}
				placeholder="desk-###"
			/>{/snippet}</Field
	>
	<TextField label="From number" problem={errors.from} type="number" min="0" bind:value={f.from} />
	<Field label="Folder for accounts" problem={errors.folder}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.folder}
				>{#each choices.folders as x (x)}<option>{x}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Accounts that wait there" hint="no machine has them" problem={errors.accounts}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.accounts}
				><option value="refuse">are passed over</option><option value="adopt">are adopted</option></select
			>{/snippet}</Field
	>
	<Field label="Follows" problem={errors.follows}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.follows}
				><option value="exactly">exactly that version</option><option value="newest">the newest</option><option
					value="nothing">nothing: it stays as it is</option
				></select
			>{/snippet}</Field
	>
	<Field label="On hosts" problem={errors['spots.over']}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.over}
				><option value="all">spread over all</option><option value="few">fill as few as can be</option></select
			>{/snippet}</Field
	>
	<Field label="Beside the machines of" problem={errors['spots.beside']}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.beside}
				><option value="">anywhere at the site</option>{#each choices.pools as x (x.id)}<option value={x.id}
						>{x.name}</option
					>{/each}</select
			>{/snippet}</Field
	>
	{#if choices.bootServers.length}<OrderedChoice
			label="Boot servers, tried in this order"
			none="none: each starts from its own disk"
			choices={choices.bootServers.map((b) => b.id)}
			bind:value={f.bootServers}
			problem={errors.bootServers}
		/>{/if}
	{#if sized}<div class="col-span-4 mb-1"><Why facts={sized.facts} /></div>{/if}
	<div class="col-span-2 flex items-center gap-4 text-[13px]">
		<label class="flex items-center gap-1.5"
			><input type="checkbox" bind:checked={f.spareHost} /> room for one host to fail</label
		>
		<label class="flex items-center gap-1.5"
			><input type="checkbox" bind:checked={f.apart} /> each on a host of its own</label
		>
	</div>
	<div class="text-[12.5px]" role="status">
		{#if preview?.names}
			<p class="text-ink2">
				{preview.names.slice(0, 3).join(', ')}{preview.names.length > 4
					? ' … '
					: preview.names.length > 3
						? ', '
						: ''}{preview.names.length > 3 ? preview.names.at(-1) : ''}
			</p>
			{#if preview.clashes?.length}<p class="text-sand">
					{preview.clashes.length} passed over: {preview.clashes[0]!.name} is {preview.clashes[0]!.with}
				</p>{/if}
			{#if preview.short}<p class="text-buoy">{preview.short} too few numbers in the pattern</p>{/if}
		{/if}
	</div>
	<div class="col-span-4"><FormEnd {form} words="Plan the pool" {close} /></div>
</form>
