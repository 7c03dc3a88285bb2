<script lang="ts">
	import { channelWords, isChannelName, isSized } from '$lib/core/reach/channels';
	import { readWhat, WHATEVER, type WrittenRule } from '$lib/core/reach/written';
	import Field from '$lib/ui/forms/Field.svelte';
	import type { Pickable } from '$lib/ui/forms/finding';
	import ManyField from '$lib/ui/forms/ManyField.svelte';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { KIND, type Drafting } from './drafting.svelte';
	import { finding, people, ranges, sites } from './picking';

	/** One rule, new or as it stands: what it says goes into the draft that is open. */
	interface Props {
		/** Null: a new one. */
		edited: { written: WrittenRule; people: Record<string, string> } | null;
		number: number | null;
		/** The rules that it can come to stand before. */
		rules: readonly { id: string; number: number | null; name: string; says: string }[];
		pickables: Record<'who' | 'what' | 'from' | 'on' | 'branches', readonly Pickable[]>;
		drafting: Drafting;
		close: string;
	}
	const UP_TO = ' up to ';
	/** A channel of which it may be said how much passes at once, and how much is said; null: it is none. */
	function sizedChannel(written: string): { upTo: string | undefined } | null {
		const [name = '', upTo] = written.startsWith('channel/') ? written.slice('channel/'.length).split(UP_TO) : [];
		return isChannelName(name) && isSized(name) ? { upTo } : null;
	}
	const atMost = (size: string) => (written: string) =>
		size.trim() && sizedChannel(written)?.upTo === undefined && sizedChannel(written)
			? `${written}${UP_TO}${size.trim()}`
			: written;
	let { edited, number, rules, pickables, drafting, close }: Props = $props();

	// svelte-ignore state_referenced_locally
	const w: Partial<WrittenRule> = edited?.written ?? {};
	// svelte-ignore state_referenced_locally
	const called: Record<string, string> = $state({
		...edited?.people,
		...Object.fromEntries(Object.values(pickables).flatMap((of) => of.map((o) => [o.id, o.name])))
	});
	/** What passes a session is chosen by its way; how much of it at once stands in a field of its own, where all of it is alike. */
	const sized = [...(w.what ?? []), ...(w.except ?? [])].flatMap((x) => sizedChannel(x) ?? []);
	const bound = sized.every((x) => x.upTo === sized[0]!.upTo) ? sized[0]?.upTo : undefined;
	const plainly = (of: readonly string[] | undefined) =>
		(of ?? []).map((x) => (bound === undefined ? x : x.split(UP_TO)[0]!));
	for (const x of [...plainly(w.what), ...plainly(w.except)]) {
		const is = readWhat(x, WHATEVER);
		if (!('wrong' in is) && is.kind === 'channel') called[x] = channelWords(is.id, is.upTo);
	}
	const form = new PlanForm({
		kind: KIND,
		start: {
			atOnce: bound ?? '',
			name: w.name ?? '',
			decide: w.decide ?? 'allow',
			say: w.say ?? '',
			who: [...(w.who ?? [])],
			but: [...(w.but ?? [])],
			what: plainly(w.what),
			except: plainly(w.except),
			on: [...(w.on ?? [])],
			from: [...(w.from ?? [])],
			managed: w.device?.managed === true,
			locks: w.device?.locks === true,
			branches: [...(w.device?.branches ?? [])],
			firmware: w.device?.firmware ?? '',
			hours: w.hours ?? '',
			duty: w.duty ?? '',
			holidays: w.holidays ?? '',
			through: [...(w.through ?? [])] as string[],
			amount: w.daily?.amount ?? '',
			time: w.daily?.time ?? '',
			before: ''
		},
		input: (f) => {
			const text = (key: string, value: string) => (value.trim() ? { [key]: value.trim() } : {});
			const some = (key: string, values: readonly string[]) => (values.length ? { [key]: [...values] } : {});
			const device = {
				...(f.managed ? { managed: true as const } : {}),
				...some('branches', f.branches),
				...text('firmware', f.firmware),
				...(f.locks ? { locks: true as const } : {})
			};
			const daily = { ...text('amount', f.amount), ...text('time', f.time) };
			const put = {
				...(w.id === undefined ? {} : { id: w.id }),
				...text('name', f.name),
				decide: f.decide,
				...text('say', f.say),
				...some('who', f.who),
				...some('but', f.but),
				...some('on', f.on),
				...some('what', f.what.map(atMost(f.atOnce))),
				...some('except', f.except.map(atMost(f.atOnce))),
				...some('from', f.from),
				...(Object.keys(device).length ? { device } : {}),
				...text('hours', f.hours),
				...text('duty', f.duty),
				...text('holidays', f.holidays),
				...some('through', f.through),
				...(Object.keys(daily).length ? { daily } : {})
			} as WrittenRule;
			return drafting.with({ edits: [{ put, ...(f.before ? { before: f.before } : {}) }] });
		},
		// svelte-ignore state_referenced_locally
		holds: edited !== null,
		// `edits.2.put.device.branches.0` stands beside `device.branches`.
		beside: (path) =>
			path
				.replace(/^edits\.\d+\.(put\.)?/, '')
				.replace(/\.\d+$/, '')
				.replace(/^daily$/, 'daily.amount'),
		parts: { rule: null, make: null }
	});
	const f = form.f;
	/** What is wrong with how much passes at once is said of what passes. */
	const wrongSize = $derived(f.atOnce.trim() ? (form.errors.what ?? form.errors.except) : undefined);
	async function submit(e: SubmitEvent) {
		const old = drafting.plan;
		if (await form.submit(e)) await drafting.replaced(old);
	}
	async function remove() {
		if (w.id !== undefined && (await drafting.draft({ edits: [{ remove: w.id }] }))) leave?.click();
	}
	let leave: HTMLAnchorElement | undefined = $state();

	// svelte-ignore state_referenced_locally
	const search = {
		who: finding(pickables.who, called, people),
		what: finding(pickables.what, called, sites),
		from: finding(pickables.from, called, ranges)
	};
	// svelte-ignore state_referenced_locally
	const PICKED = [
		['who', 'Who', 'everybody', search.who],
		['but', 'But not', 'nobody left out', search.who],
		['what', 'What', 'whatever it is', search.what],
		['except', 'Except', 'nothing left out', search.what],
		['from', 'From', 'wherever they are', search.from],
		['on', 'On machines of', 'whatever machine', pickables.on]
	] as const;
	const EFFECTS = [
		['allow', 'allow'],
		['refuse', 'refuse'],
		['window', 'in an isolated window'],
		['factor', 'ask for the second factor'],
		['reason', 'ask what for']
	] as const;
	const WAYS = [
		{ id: 'device', name: 'their device’s own network' },
		{ id: 'browser', name: 'the browser alone' },
		{ id: 'window', name: 'an isolated window' }
	];
	const spots = $derived(
		rules
			.filter((r) => r.number !== null && r.id !== w.id)
			.map((r) => ({ id: r.id, name: `rule ${r.number}: ${r.name || r.says}` }))
	);
</script>

<section class="border-sea bg-sheet rounded-lg border px-4 py-3" aria-label={edited ? `Rule ${number}` : 'A new rule'}>
	<h2 class="head">
		{edited ? `Rule ${number}` : 'A new rule'} <small>what is left empty is not asked</small>
	</h2>
	<form class="mt-1" onsubmit={submit} novalidate>
		<div class="grid grid-cols-2 gap-x-3">
			<Field label="Decides" problem={form.errors.decide}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.decide}
						>{#each EFFECTS as [id, words] (id)}<option value={id}>{words}</option>{/each}</select
					>{/snippet}</Field
			>
			<TextField label="Name" problem={form.errors.name} bind:value={f.name} />
			{#each PICKED as [key, label, none, options] (key)}<PickManyField
					{label}
					{options}
					none={f[key].length ? 'add …' : none}
					{called}
					problem={wrongSize && (key === 'what' || key === 'except') ? undefined : form.errors[key]}
					bind:value={f[key]}
				/>{/each}
			{#if [...f.what, ...f.except].some((x) => sizedChannel(x))}<TextField
					label="At once at most"
					hint="of what passes a session"
					placeholder="2 KB"
					problem={wrongSize}
					bind:value={f.atOnce}
				/>{/if}
			<fieldset>
				<legend class="text-ink2 text-[12.5px]">Device</legend>
				<label class="flex items-center gap-2 text-[13px]"
					><input type="checkbox" bind:checked={f.managed} /> managed</label
				>
				<label class="flex items-center gap-2 text-[13px]"
					><input type="checkbox" bind:checked={f.locks} /> its screen locks</label
				>
			</fieldset>
			<TextField
				label="Firmware at least"
				placeholder="4.2"
				problem={form.errors['device.firmware']}
				bind:value={f.firmware}
			/>
			<PickManyField
				label="Device in branch"
				options={pickables.branches}
				none={f.branches.length ? 'add …' : 'whatever branch'}
				problem={form.errors['device.branches']}
				bind:value={f.branches}
			/>
			<ManyField
				label="Through"
				none="whatever way"
				options={WAYS}
				problem={form.errors.through}
				bind:value={f.through}
			/>
			<TextField label="Hours" placeholder="Mon-Fri 07:00-19:00" problem={form.errors.hours} bind:value={f.hours} />
			<div class="grid grid-cols-2 gap-x-2">
				<Field label="Duty" problem={form.errors.duty}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.duty}
							><option value="">any</option><option value="on">on</option><option value="off">off</option></select
						>{/snippet}</Field
				>
				<Field label="Holidays" problem={form.errors.holidays}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.holidays}
							><option value="">also</option><option value="only">only</option><option value="not">not</option></select
						>{/snippet}</Field
				>
			</div>
			<TextField
				label="Amount a day, each"
				placeholder="40 MB"
				problem={form.errors['daily.amount']}
				bind:value={f.amount}
			/>
			<TextField
				label="Time a day, each"
				placeholder="30 min"
				problem={form.errors['daily.time']}
				bind:value={f.time}
			/>
		</div>
		<TextField label="What people are told" problem={form.errors.say} bind:value={f.say} />
		<PickField
			label="Comes to stand before"
			options={spots}
			none={edited ? 'where it stands' : 'the end of the list'}
			problem={form.errors.before}
			bind:value={f.before}
		/>
		<FormEnd {form} words={drafting.plan ? 'Add it to the draft' : 'Draft it'}>
			{#if edited}<button type="button" class="btn" disabled={drafting.busy} onclick={remove}>Remove it</button>{/if}
			<a class="btn btn-plain" href={close} bind:this={leave} data-sveltekit-noscroll>Leave it</a>
		</FormEnd>
	</form>
</section>
