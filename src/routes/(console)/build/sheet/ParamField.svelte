<script lang="ts">
	import type { Param, ParamValue } from '$lib/core/images/library/params';
	import { chosenTweaks, savingsOf, TWEAK_GROUPS, TWEAKS } from '$lib/core/images/library/tweaks';
	import type { Supplies } from '$lib/core/images/sheet';
	import { durationWords, sizeWords } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';

	interface Props {
		name: string;
		param: Param;
		value: ParamValue | undefined;
		problem: string | undefined;
		supplies: Supplies;
		readonly: boolean;
		/** What was typed, as it was typed: what it means is for the check to say. */
		change: (value: ParamValue | undefined) => void;
	}
	let { name, param, value, problem, supplies, readonly, change }: Props = $props();

	/** As people write it: with units, lists with commas. */
	const shown = $derived.by(() => {
		if (value === undefined) return '';
		if (param.kind === 'duration' && typeof value === 'number') return durationWords(value);
		if (param.kind === 'size' && typeof value === 'number') return sizeWords(value);
		return Array.isArray(value) ? value.join(', ') : String(value);
	});
	const options = $derived.by(() => {
		if (param.kind === 'choice') return param.options.map((o) => ({ value: o, words: o }));
		if (param.kind !== 'from') return [];
		const list =
			param.list === 'stock'
				? supplies.stock.map((x) => ({
						value: x.id,
						words: `${x.name} (generation ${x.generation}, disk ${sizeWords(x.leastDisk)} at least)`
					}))
				: [
						...new Set(
							param.list === 'package'
								? supplies.packages.map((x) => x.name)
								: param.list === 'line'
									? supplies.versions.map((x) => x.line)
									: supplies.machines.map((x) => x.name)
						)
					].map((o) => ({ value: o, words: o }));
		return value === undefined || list.some((o) => o.value === value)
			? list
			: [...list, { value: String(value), words: String(value) }];
	});
	const text = (e: Event) => change((e.currentTarget as HTMLInputElement).value || undefined);
	const tweaks = $derived(
		param.kind === 'tweaks' ? new Set(chosenTweaks(value as 'safe').map((t) => t.id)) : new Set<string>()
	);
	const saved = $derived(savingsOf(TWEAKS.filter((t) => tweaks.has(t.id))));
	function toggle(id: string, on: boolean) {
		change(TWEAKS.filter((t) => (t.id === id ? on : tweaks.has(t.id))).map((t) => t.id));
	}
	const savesWords = (s: (typeof TWEAKS)[number]['saves']) =>
		[
			s.disk ? `${sizeWords(s.disk)} of disk` : '',
			s.memory ? `${sizeWords(s.memory)} of memory` : '',
			s.core ? `${(s.core / 1000).toFixed(3)} cores` : '',
			s.signIn ? `${durationWords(s.signIn)} of a first sign-in` : ''
		]
			.filter(Boolean)
			.join(', ');
</script>

{#if param.kind === 'tweaks'}
	<fieldset class="col-span-full" disabled={readonly}>
		<legend class="text-ink2 text-[12.5px]">{param.label}</legend>
		<div class="flex items-center gap-3 text-[13px]">
			<button type="button" class="btn" onclick={() => change('safe')}>All that break nothing known</button>
			<button type="button" class="btn" onclick={() => change('all')}>All</button>
			<button type="button" class="btn" onclick={() => change([])}>None</button>
			<span class="text-ink2"
				>{tweaks.size} of {TWEAKS.length}: {sizeWords(saved.disk)} of disk, {sizeWords(saved.memory)} of memory, {(
					saved.core / 1000
				).toFixed(2)} cores a machine</span
			>
		</div>
		<details class="mt-1">
			<summary class="text-sea text-[13px]">Choose one by one</summary>
			{#each TWEAK_GROUPS as group (group)}
				<h4 class="text-ink2 mt-2 text-[12.5px] font-semibold">{group}</h4>
				<div class="grid grid-cols-2 gap-x-4 text-[12.5px]">
					{#each TWEAKS.filter((t) => t.group === group) as t (t.id)}
						<label class="border-hair2 flex items-start gap-2 border-b py-1">
							<input
								type="checkbox"
								class="mt-0.5"
								checked={tweaks.has(t.id)}
								onchange={(e) => toggle(t.id, e.currentTarget.checked)}
							/>
							<span
								>{t.words}<span class="text-ink3 block">saves {savesWords(t.saves) || 'little'}</span
								>{#if t.breaks}<span class="text-sand block">may break: {t.breaks}</span>{/if}</span
							>
						</label>
					{/each}
				</div>
			{/each}
		</details>
		{#if problem}<p class="text-buoy text-[12.5px]" role="alert">{problem}</p>{/if}
	</fieldset>
{:else if param.kind === 'flag'}
	<label class="flex items-center gap-2 self-end pb-1 text-[13px]"
		><input
			type="checkbox"
			checked={value === true}
			disabled={readonly}
			onchange={(e) => change(e.currentTarget.checked)}
		/>
		{param.label}</label
	>
{:else}
	<div class={param.kind === 'lines' ? 'col-span-full' : ''}>
		<Field label={param.label} {problem} {...param.hint ? { hint: param.hint } : {}}
			>{#snippet children(p)}{#if param.kind === 'lines'}<textarea
						{...p}
						class="field font-mono text-[12.5px]"
						rows="5"
						{name}
						disabled={readonly}
						value={shown}
						oninput={text}></textarea>{:else if param.kind === 'choice' || param.kind === 'from'}<select
						{...p}
						class="field"
						{name}
						disabled={readonly}
						value={value === undefined ? '' : String(value)}
						onchange={text}
						>{#if param.kind === 'from'}<option value="">choose</option>{/if}{#each options as o (o.value)}<option
								value={o.value}>{o.words}</option
							>{/each}</select
					>{:else}<input
						{...p}
						class="field"
						{name}
						disabled={readonly}
						value={shown}
						onchange={text}
					/>{/if}{/snippet}</Field
		>
	</div>
{/if}
