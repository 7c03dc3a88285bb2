<script lang="ts">
	import { countWords } from '$lib/core/time/units';
	import type { ComparedRow } from '$lib/core/settings/rows';

	/** What counts otherwise between two. */
	interface Props {
		compared: { here: string; there: string; rows: ComparedRow[] };
		/** The other moment, as it was written. */
		then: string;
	}
	let { compared, then }: Props = $props();
</script>

<h2 class="head mt-3">
	{compared.here} and {compared.there}{then ? ` at ${then}` : ''}
	<small
		>{compared.rows.length ? countWords(compared.rows.length, 'setting') + ' otherwise' : 'nothing otherwise'}</small
	>
</h2>
{#if compared.rows.length}
	<table class="grid-table mt-1">
		<caption class="sr-only">What counts otherwise</caption>
		<thead><tr><th>setting</th><th>{compared.here}</th><th>{compared.there}{then ? `, ${then}` : ''}</th></tr></thead>
		<tbody>
			{#each compared.rows as r (r.id)}
				<tr>
					<td>{r.name} <span class="text-ink2 text-[12px]">{r.area}</span></td>
					<td><b class="font-[620]">{r.here}</b> <span class="text-ink2 text-[12px]">{r.hereBy ?? 'as usual'}</span></td
					>
					<td
						><b class="font-[620]">{r.there}</b>
						<span class="text-ink2 text-[12px]">{r.thereBy ?? 'as usual'}</span></td
					>
				</tr>
			{/each}
		</tbody>
	</table>
{/if}
