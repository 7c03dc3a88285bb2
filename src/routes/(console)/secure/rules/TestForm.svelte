<script lang="ts">
	import type { WrittenTest } from '$lib/core/reach/file';
	import Field from '$lib/ui/forms/Field.svelte';
	import type { Pickable } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import { KIND, type Drafting } from './drafting.svelte';
	import { finding, people, ranges, site } from './picking';

	/** A sentence that rules have to keep true; it goes into the draft that is open. */
	interface Props {
		/** The tests that there are, in force or as they are drafted. */
		tests: readonly WrittenTest[];
		pickables: Record<'who' | 'what' | 'from' | 'on', readonly Pickable[]>;
		drafting: Drafting;
		close: string;
	}
	let { tests, pickables, drafting, close }: Props = $props();
	const called: Record<string, string> = {};
	const form = new PlanForm({
		kind: KIND,
		start: {
			name: '',
			who: '',
			what: '',
			from: '',
			expect: 'reach' as WrittenTest['expect'],
			managed: '',
			at: '',
			duty: '',
			holiday: '',
			through: '',
			on: ''
		},
		input: (f) => {
			const some = (key: string, value: string) => (value.trim() ? { [key]: value.trim() } : {});
			const test = {
				name: f.name.trim(),
				who: f.who,
				what: f.what,
				...some('from', f.from),
				...some('on', f.on),
				...(f.managed ? { device: { managed: f.managed === 'yes' } } : {}),
				...some('at', f.at),
				...some('duty', f.duty),
				...(f.holiday ? { holiday: f.holiday === 'yes' } : {}),
				...some('through', f.through),
				expect: f.expect
			} as WrittenTest;
			return drafting.with({ tests: [...tests, test] });
		},
		wrong: (f) => ({
			name: f.name.trim() ? undefined : 'Write the sentence.',
			who: f.who ? undefined : 'Say whom it is about.',
			what: f.what ? undefined : 'Say what they want to reach.'
		}),
		beside: (path) => path.replace(/^tests\.\d+\./, ''),
		parts: { make: null }
	});
	const f = form.f;
	async function submit(e: SubmitEvent) {
		const old = drafting.plan;
		if (await form.submit(e)) await drafting.replaced(old);
	}
	// svelte-ignore state_referenced_locally
	const search = {
		who: finding(pickables.who, called, people),
		what: finding(
			pickables.what.filter((w) => w.id.startsWith('service/')),
			called,
			site
		),
		from: finding(pickables.from, called, ranges)
	};
	const EXPECTS = [
		['reach', 'reach it, whatever more is asked for'],
		['allow', 'reach it, with nothing asked for'],
		['refuse', 'do not reach it'],
		['window', 'see it in an isolated window alone'],
		['factor', 'are asked for the second factor'],
		['reason', 'are asked what for']
	] as const;
	const choices = {
		managed: ['Device', ['', 'whatever it is'], ['yes', 'managed'], ['no', 'not managed']],
		duty: ['Duty', ['', 'on or off'], ['on', 'on'], ['off', 'off']],
		holiday: ['Holiday', ['', 'whether or not'], ['yes', 'on one'], ['no', 'on none']],
		through: [
			'Through',
			['', 'whatever way'],
			['device', 'their device'],
			['browser', 'the browser alone'],
			['window', 'an isolated window']
		]
	} as const;
</script>

<h2 class="head">
	A test <small>it has to hold for everybody it names, in all circumstances that it leaves open</small>
</h2>
<form class="mt-2" onsubmit={submit} novalidate>
	<TextField
		label="The sentence"
		placeholder="Charts reaches the archive from the office"
		problem={form.errors.name}
		bind:value={f.name}
	/>
	<div class="grid grid-cols-4 gap-x-4">
		<PickField label="Who" options={search.who} problem={form.errors.who} bind:value={f.who} />
		<PickField
			label="What"
			hint="a service, or a web site"
			options={search.what}
			problem={form.errors.what}
			bind:value={f.what}
		/>
		<PickField
			label="From"
			options={search.from}
			none="wherever they are"
			problem={form.errors.from}
			bind:value={f.from}
		/>
		<Field label="They" problem={form.errors.expect}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.expect}
					>{#each EXPECTS as [id, words] (id)}<option value={id}>{words}</option>{/each}</select
				>{/snippet}</Field
		>
		{#each ['managed', 'duty', 'holiday', 'through'] as const as key (key)}
			{@const [label, ...of] = choices[key]}
			<Field {label} problem={form.errors[key]}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f[key]}
						>{#each of as [value, words] (value)}<option {value}>{words}</option>{/each}</select
					>{/snippet}</Field
			>
		{/each}
		<TextField
			label="At"
			hint="else at every hour"
			placeholder="Tue 14:30"
			problem={form.errors.at}
			bind:value={f.at}
		/>
		<PickField
			label="On machines of"
			options={pickables.on}
			none="whatever machine"
			problem={form.errors.on}
			bind:value={f.on}
		/>
	</div>
	<FormEnd {form} words={drafting.plan ? 'Add it to the draft' : 'Draft it'} {close} />
</form>
