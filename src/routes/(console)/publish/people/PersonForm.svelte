<script lang="ts">
	import { untrack } from 'svelte';
	import { localMoment } from '$lib/core/time/written';
	import { FOREVER } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import { findPeople } from '$lib/ui/forms/finding';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Adds somebody to our own list, or changes them. */
	interface Props {
		choices: {
			sites: { id: string; name: string; zone: string }[];
			teams: { id: string; name: string }[];
			patterns: string[];
			employments: string[];
		};
		edit: {
			login: string;
			name: string;
			mail: string | null;
			employment: string;
			manager: string | null;
			site: string;
			language: string | null;
			pattern: string;
			begins: number;
			ends: number;
			memberOf: readonly string[];
		} | null;
		now: number;
		close: string;
	}
	let { choices, edit, now, close }: Props = $props();
	const zoneOf = (site: string) => choices.sites.find((s) => s.id === site)?.zone ?? 'Etc/UTC';
	/** A day of where they are: first and last days begin and end with it there. */
	const day = (at: number) => localMoment(zoneOf(edit!.site), at).slice(0, 10);
	const form = new PlanForm({
		kind: 'people.put',
		holds: untrack(() => edit !== null),
		start: untrack(() => ({
			login: edit?.login ?? '',
			name: edit?.name ?? '',
			mail: edit?.mail ?? '',
			employment: edit?.employment ?? choices.employments[0] ?? 'employee',
			manager: edit?.manager ?? '',
			site: edit?.site ?? choices.sites[0]?.id ?? '',
			language: edit?.language ?? '',
			pattern: edit?.pattern ?? choices.patterns[0] ?? 'day',
			team: edit?.memberOf[0] ?? '',
			teams: [...(edit?.memberOf.slice(1) ?? [])],
			begins: edit && edit.begins > 0 ? day(edit.begins) : '',
			ends: edit && edit.ends < FOREVER ? day(edit.ends - 1) : ''
		})),
		input: (f) => ({
			people: [
				{
					login: f.login.trim(),
					...(edit && f.login.trim() !== edit.login ? { was: edit.login } : {}),
					name: f.name,
					mail: f.mail.trim() || null,
					employment: f.employment,
					manager: f.manager || null,
					site: f.site,
					language: f.language.trim() || null,
					pattern: f.pattern,
					team: f.team || null,
					teams: f.teams,
					begins: f.begins || null,
					ends: f.ends || null
				}
			]
		}),
		wrong: (f) => ({
			...(f.login.trim() ? {} : { login: 'Write a login.' }),
			...(f.name.trim() ? {} : { name: 'Write a name.' })
		}),
		beside: (path) => path.replace(/^people\.0\./, ''),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const zone = $derived(zoneOf(f.site));
</script>

<h2 class="head">
	{edit ? `Change ${edit.name}` : 'Add somebody'}
	<small>to Sextant’s own list: the directory’s people are changed in the directory</small>
</h2>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<TextField label="Name" problem={errors.name} bind:value={f.name} />
	<TextField label="Login" problem={errors.login} autocomplete="off" bind:value={f.login} />
	<TextField label="Mail" problem={errors.mail} bind:value={f.mail} />
	<TextField label="Employment" problem={errors.employment} list="employments" bind:value={f.employment} />
	<datalist id="employments"
		>{#each choices.employments as e (e)}<option value={e}></option>{/each}</datalist
	>
	<PickField label="Home team" none="no team" options={choices.teams} problem={errors.team} bind:value={f.team} />
	<div>
		<PickManyField
			label="Also in"
			none="no other team"
			options={choices.teams}
			problem={errors.teams}
			bind:value={f.teams}
		/>
	</div>
	<Field label="Site" problem={errors.site}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
				>{#each choices.sites as s (s.id)}<option value={s.id}>{s.name}</option>{/each}</select
			>{/snippet}</Field
	>
	<Field label="Works" problem={errors.pattern}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.pattern}
				>{#each choices.patterns as w (w)}<option>{w}</option>{/each}</select
			>{/snippet}</Field
	>
	<PickField
		label="Reports to"
		none="nobody"
		options={findPeople}
		problem={errors.manager}
		called={f.manager}
		bind:value={f.manager}
	/>
	<TextField label="Language" hint="such as nb or fr-CA" problem={errors.language} bind:value={f.language} />
	<WhenField label="First day" empty="there already" {zone} {now} problem={errors.begins} bind:value={f.begins} />
	<WhenField label="Last day" empty="none known" {zone} {now} problem={errors.ends} bind:value={f.ends} />
	<div class="col-span-4"><FormEnd {form} words={edit ? 'Plan the change' : 'Plan to add them'} {close} /></div>
</form>
