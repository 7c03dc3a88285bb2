<script lang="ts">
	import { page } from '$app/state';
	import { countWords, durationWords } from '$lib/core/time/units';
	import type { EffectiveRow, SaidRow } from '$lib/core/settings/rows';
	import { addressWith } from '$lib/ui/frame/address';

	/** Every setting that counts for one, those that a group says first. */
	interface Props {
		effective: { name: string; kind: string; rows: EffectiveRow[] };
	}
	let { effective }: Props = $props();
	const said = $derived(effective.rows.filter((r) => r.from || r.leftOut.length));
	const usual = $derived(effective.rows.filter((r) => !r.from && r.leftOut.length === 0));
	const takes = $derived(effective.rows.reduce((n, r) => n + r.takes, 0));
</script>

<h2 class="head mt-3">
	{effective.name}
	<small
		>{countWords(said.length, 'setting')} of {effective.rows.length} said by groups{takes
			? `; a sign-in takes ${durationWords(takes)} for them`
			: ''}</small
	>
</h2>
{#if said.length}
	<table class="grid-table mt-1">
		<caption class="sr-only">Settings that groups say</caption>
		<thead><tr><th>setting</th><th>value</th><th>by</th><th>overrode, or left out</th><th>takes hold</th></tr></thead>
		<tbody>
			{#each said as r (r.id)}
				<tr>
					<td
						>{r.name} <span class="text-ink2 text-[12px]">{r.area}</span>{#if r.clash}<span class="pill pill-sand ml-2"
								>clash</span
							>{/if}</td
					>
					<td><b class="font-[620]">{r.value}</b></td>
					<td class="text-[13px]"
						>{#if r.from}{@render by(r.from)}{:else}<span class="text-ink2">as usual</span>{/if}</td
					>
					<td class="text-ink2 text-[12.5px]"
						>{#if r.clash}<div class="text-sand">
								{r.clash.value} by {r.clash.name}, with the same right
							</div>{/if}{#each r.overrode.filter((o) => o.group !== r.clash?.group) as o (o.group)}<div>
								{o.value} by {o.name}, rank {o.rank}, {o.by}
							</div>{/each}{#each r.leftOut as o (o.group)}<div>
								{o.value} by {o.name}: {o.out} is left out
							</div>{/each}</td
					>
					<td class="text-ink2 text-[12.5px]">{r.holds}{r.takes ? `; ${durationWords(r.takes)} at a sign-in` : ''}</td>
				</tr>
			{/each}
		</tbody>
	</table>
{:else}<p class="text-ink2 mt-1 text-[13.5px]">No group reaches it: everything has its usual value.</p>{/if}
<details class="mt-3">
	<summary class="text-sea text-[13px]">{countWords(usual.length, 'setting')} as usual</summary>
	<table class="grid-table mt-1">
		<caption class="sr-only">Settings that no group says</caption>
		<thead><tr><th>setting</th><th>value</th><th>area</th><th>takes at a sign-in</th></tr></thead>
		<tbody>
			{#each usual as r (r.id)}<tr
					><td>{r.name}</td><td>{r.value}</td><td class="text-ink2">{r.area}</td><td class="text-ink2"
						>{r.takes ? durationWords(r.takes) : '–'}</td
					></tr
				>{/each}
		</tbody>
	</table>
</details>

{#snippet by(s: SaidRow)}<a class="link" href={addressWith(page.url, { card: `settings-group/${s.group}` })}>{s.name}</a
	><span class="text-ink2 text-[12px]">, {s.by}</span>{/snippet}
