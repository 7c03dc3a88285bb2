<script lang="ts">
	import { untrack } from 'svelte';
	import { isOff, type Setting, type SettingValue } from '$lib/core/settings/kinds';
	import Field from '$lib/ui/forms/Field.svelte';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import PickManyField from '$lib/ui/forms/PickManyField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { findPeople, findSettled } from '$lib/ui/forms/finding';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Adds a settings group, or changes one. */
	interface Props {
		catalogue: readonly (Setting & { usualWords: string; usualWritten: SettingValue })[];
		reaches: readonly { id: string; name: string; sub: string }[];
		/** What those are called that it is assigned to already. */
		called: Readonly<Record<string, string>>;
		edit: {
			id: string;
			name: string;
			rank: number;
			note?: string;
			values: Record<string, boolean | number | string | string[]>;
			assigned: string[];
			excluded: string[];
		} | null;
		close: string;
	}
	let { catalogue, reaches, called, edit, close }: Props = $props();
	const settings = $derived(new Map(catalogue.map((s) => [s.id, s])));
	/** A value as its field holds it. */
	const written = (value: unknown) =>
		Array.isArray(value) ? value.join('\n') : value === true ? 'on' : value === false ? 'off' : String(value);
	const form = new PlanForm({
		kind: 'settings.set',
		holds: untrack(() => edit !== null),
		start: untrack(() => ({
			name: edit?.name ?? '',
			rank: String(edit?.rank ?? 100),
			note: edit?.note ?? '',
			values: Object.entries(edit?.values ?? {}).map(([id, value]) => ({ id, text: written(value) })),
			assigned: [...(edit?.assigned ?? [])],
			excluded: [...(edit?.excluded ?? [])]
		})),
		input: (f) => ({
			...(edit ? { id: edit.id } : {}),
			name: f.name,
			rank: Number(f.rank),
			note: f.note,
			values: Object.fromEntries(f.values.map((x) => [x.id, x.text])),
			assigned: f.assigned,
			excluded: f.excluded
		}),
		wrong: (f) => ({
			...(f.name.trim() ? {} : { name: 'Write a name.' }),
			...(/^\d{1,4}$/.test(f.rank.trim()) ? {} : { rank: 'Write a whole number from 1 to 1000.' })
		}),
		beside: (path) => path.replace(/^(assigned|excluded)\.\d+$/, '$1'),
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	let picked = $state('');
	const offered = $derived(
		catalogue
			.filter((s) => !f.values.some((x) => x.id === s.id))
			.map((s) => ({ id: s.id, name: s.name, sub: `${s.area} · usually ${s.usualWords}` }))
	);
	function add(id: string) {
		picked = '';
		const setting = settings.get(id);
		if (!setting || f.values.some((x) => x.id === id)) return;
		// What is switched is begun with the other state: that is what one adds it for.
		const { type } = setting;
		const start = type.is === 'switch' ? (isOff(type, setting.usual) ? 'on' : 'off') : written(setting.usualWritten);
		f.values = [...f.values, { id, text: start }];
	}
	const find = async (text: string) => {
		const wanted = text.trim().toLowerCase();
		return [
			...reaches.filter((r) => `${r.name} ${r.id}`.toLowerCase().includes(wanted)).slice(0, 20),
			...(wanted ? await findSettled(text) : []),
			...(wanted ? (await findPeople(text)).map((p) => ({ ...p, id: `person/${p.id}` })) : [])
		];
	};
	const names = $derived({ ...called, ...Object.fromEntries(reaches.map((r) => [r.id, r.name])) });
	const hint = (s: Setting): string =>
		s.type.is === 'span'
			? 'such as 20 min' + (s.type.never ? ', or never' : '')
			: s.type.is === 'list'
				? 'one in a line'
				: '';
</script>

<h2 class="head">
	{edit ? `Change ${edit.name}` : 'Add a settings group'}
	<small>who gets which value instead of which is worked out as you type</small>
</h2>
<form class="mt-2" onsubmit={form.submit} novalidate>
	<div class="grid grid-cols-[1fr_110px_1.4fr] gap-x-4">
		<TextField label="Name" problem={errors.name} bind:value={f.name} />
		<TextField label="Rank" problem={errors.rank} inputmode="numeric" bind:value={f.rank} />
		<TextField label="Note" problem={errors.note} bind:value={f.note} />
		<PickManyField
			label="Assigned to"
			options={find}
			none="nothing"
			problem={errors.assigned}
			called={names}
			bind:value={f.assigned}
		/>
		<span></span>
		<PickManyField
			label="Left out"
			options={find}
			none="nothing"
			problem={errors.excluded}
			called={names}
			bind:value={f.excluded}
		/>
	</div>
	<fieldset class="mt-2">
		<legend class="text-ink2 text-[12.5px]">What it says</legend>
		{#if f.values.length}
			<ul class="grid grid-cols-2 gap-x-6">
				{#each f.values as x (x.id)}
					{@const s = settings.get(x.id)}
					<li class="flex items-start gap-2">
						<div class="flex-1">
							<Field label={s?.name ?? x.id} hint={s ? hint(s) : ''} problem={errors[`values.${x.id}`]}
								>{#snippet children(p)}
									{#if s?.type.is === 'switch'}<select {...p} class="field" bind:value={x.text}
											><option>on</option><option>off</option></select
										>
									{:else if s?.type.is === 'choice'}<select {...p} class="field" bind:value={x.text}
											>{#each s.type.of as c (c)}<option>{c}</option>{/each}</select
										>
									{:else if s?.type.is === 'list'}<textarea {...p} class="field h-[64px]" bind:value={x.text}
										></textarea>
									{:else}<input {...p} class="field" bind:value={x.text} />{/if}
								{/snippet}</Field
							>
						</div>
						<button
							type="button"
							class="btn btn-small mt-[25px]"
							aria-label="Say nothing of {s?.name ?? x.id}"
							onclick={() => (f.values = f.values.filter((y) => y !== x))}>×</button
						>
					</li>
				{/each}
			</ul>
		{/if}
		<div class="max-w-[420px]">
			<PickField
				label="Add a setting"
				options={offered}
				none="none"
				problem={errors.values}
				bind:value={picked}
				take={add}
			/>
		</div>
	</fieldset>
	<FormEnd {form} words={edit ? 'Plan the change' : 'Plan the group'} {close} />
</form>
