<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Brings a list of people as a file: looked at, its columns matched, and taken in by a plan. */
	interface Props {
		choices: { sites: { id: string; name: string }[]; teams: { id: string; name: string }[] };
		close: string;
	}
	let { choices, close }: Props = $props();
	const FIELDS = {
		login: 'login',
		name: 'name',
		mail: 'mail',
		employment: 'employment',
		manager: 'reports to',
		site: 'site',
		language: 'language',
		pattern: 'works',
		begins: 'first day',
		ends: 'last day',
		team: 'home team',
		teams: 'other teams'
	};
	interface Brought {
		id: number;
		name: string;
		format: 'ldif' | 'csv';
		titles: string[];
		rows: string[][];
		columns: (string | null)[];
	}
	let brought: Brought | null = $state(null);
	let problem = $state('');
	let reading = $state('');
	const form = new PlanForm({
		kind: 'people.import',
		start: { columns: [] as string[], whole: false, site: '', team: '' },
		input: (f) => ({
			file: brought?.id ?? 0,
			as: brought?.format ?? 'csv',
			...(brought?.format === 'csv' ? { columns: f.columns.map((c) => (c === '' ? null : c)) } : {}),
			...(f.whole ? { whole: true } : {}),
			...(f.site ? { site: f.site } : {}),
			...(f.team ? { team: f.team } : {})
		}),
		wrong: () => (brought ? {} : { file: 'Choose a file.' }),
		parts: { make: null },
		// A list of fifty thousand takes seconds: the plan says what it comes to.
		foresee: false
	});
	const f = form.f;
	const errors = $derived(form.errors);

	async function read(e: Event & { currentTarget: HTMLInputElement }) {
		const file = e.currentTarget.files?.[0];
		brought = null;
		problem = '';
		form.errors = {};
		if (!file) return;
		reading = `${file.name} is being read …`;
		try {
			const response = await fetch(`/api/v1/directory/files?${new URLSearchParams({ name: file.name })}`, {
				method: 'POST',
				// Without a type the server would take it that there is no body.
				headers: { 'content-type': 'application/octet-stream' },
				body: file
			});
			const answer = (await response.json()) as Brought & { detail?: string };
			if (response.ok) {
				brought = answer;
				f.columns = answer.columns.map((c) => c ?? '');
			} else problem = answer.detail ?? 'It could not be read.';
		} catch {
			problem = 'The server does not answer. Nothing was changed.';
		} finally {
			reading = '';
		}
	}
</script>

<h2 class="head">
	Bring a list <small>LDIF of a directory, or a table (CSV, UTF-8); a plan says first who comes, changes and goes</small
	>
</h2>
<form class="mt-2" onsubmit={form.submit} novalidate>
	<div class="grid grid-cols-3 gap-x-4">
		<Field label="File" problem={problem || errors.file}
			>{#snippet children(p)}<input
					{...p}
					type="file"
					accept=".csv,.ldif,.txt,text/csv"
					class="file-field w-full py-1"
					onchange={read}
				/>{/snippet}</Field
		>
		<Field label="Site, where it says none" problem={errors.site}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
					><option value="">the home of the estate</option>{#each choices.sites as s (s.id)}<option value={s.id}
							>{s.name}</option
						>{/each}</select
				>{/snippet}</Field
		>
		<Field label="Home team, where it says none" problem={errors.team}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.team}
					><option value="">no team</option>{#each choices.teams as t (t.id)}<option value={t.id}>{t.name}</option
						>{/each}</select
				>{/snippet}</Field
		>
	</div>
	{#if reading}<p class="text-ink2 text-[13px]" role="status">{reading}</p>{/if}
	{#if brought?.format === 'csv'}
		<div class="mb-2 overflow-x-auto" role="region" aria-label="Columns" tabindex="-1">
			<table class="grid-table">
				<caption class="text-ink2 pb-1 text-left text-[12.5px]"
					>What each column holds, and the first rows{errors.columns ? '' : ''}</caption
				>
				<thead
					><tr
						>{#each brought.titles as title, i (i)}<th
								><span class="block">{title || 'untitled'}</span><select
									class="field mt-1 min-w-[110px]"
									aria-label="Column {title} holds"
									bind:value={f.columns[i]}
									><option value="">left out</option>{#each Object.entries(FIELDS) as [key, words] (key)}<option
											value={key}>{words}</option
										>{/each}</select
								></th
							>{/each}</tr
					></thead
				>
				<tbody
					>{#each brought.rows as row, i (i)}<tr
							>{#each brought.titles as _, k (k)}<td class="text-ink2">{row[k] ?? ''}</td>{/each}</tr
						>{/each}</tbody
				>
			</table>
		</div>
	{:else if brought}<p class="text-ink2 mb-2 text-[13px]">
			{brought.name} is LDIF: people and groups by the standard attributes.
		</p>{/if}
	<label class="mb-2 flex items-center gap-2 text-[13px]"
		><input type="checkbox" bind:checked={f.whole} />It names everybody: whoever of our own list is not in it goes</label
	>
	<FormEnd {form} words="Plan to take it in" foresee={false} {close} />
</form>
