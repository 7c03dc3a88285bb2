<script lang="ts">
	import { page } from '$app/state';
	import { countWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import LongList from '$lib/ui/lists/LongList.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	/** Which firmware is wished for which branch, and which endpoints have it, take it, or wait and why. */
	interface Props {
		wishes: readonly {
			branch: string;
			branchName: string;
			model: string;
			version: string;
			thin: boolean;
			by: string;
			all: number;
			has: number;
			takes: number;
			waits: readonly { words: string; n: number }[];
		}[];
		rows: Row[];
		total: number;
		at: number;
		scope: string;
		sort: string;
		may: (kind: string) => boolean;
	}
	type Row = { id: number } & Record<string, unknown>;
	let { wishes, rows, total, at, scope, sort, may }: Props = $props();
	/** Reasons that are said of a wish one by one. */
	const SAID = 3;
	const COLUMNS = [
		{ key: 'name', words: 'endpoint', width: 'minmax(110px,.8fr)' },
		{ key: 'model', words: 'model', width: '90px' },
		{ key: 'firmware', words: 'has', width: '80px' },
		{ key: 'wished', words: 'wished', width: '80px' },
		{ key: 'standing', words: 'stands', width: '110px' },
		{ key: 'why', words: 'why', width: 'minmax(180px,2fr)' }
	];
	const TONE: Record<string, string> = {
		'has it': 'pill-kelp',
		'takes it': 'pill-sea',
		'may take it': 'pill-sea',
		waits: 'pill-sand'
	};
</script>

{#if wishes.length}
	<table class="grid-table mt-2">
		<caption class="text-ink2 pb-1 text-left text-[12.5px]"
			>what is said nearest above an endpoint counts for it</caption
		>
		<thead
			><tr
				><th>branch</th><th>model</th><th>version</th><th class="num">have it</th><th class="num">take it</th><th
					>wait</th
				><th><span class="sr-only">what can be done</span></th></tr
			></thead
		>
		<tbody>
			{#each wishes as w (`${w.branch} ${w.model}`)}
				<tr>
					<td>{w.branchName}</td>
					<td>{w.model}</td>
					<td
						>{w.version}{#if w.thin}<span class="text-ink2 text-[12px]">, over thin links too</span>{/if}</td
					>
					<td class="num">{w.has} of {w.all}</td>
					<td class="num">{w.takes}</td>
					<td class="text-[12.5px]"
						>{#each w.waits.slice(0, SAID) as x (x.words)}<span class="block">{x.n}: {x.words}</span
							>{/each}{#if w.waits.length > SAID}<span class="text-ink2 block"
								>and {countWords(
									w.waits.slice(SAID).reduce((n, x) => n + x.n, 0),
									'other'
								)}</span
							>{/if}</td
					>
					<td class="num"
						>{#if may('firmware.want-no-more')}<PlanButton
								kind="firmware.want-no-more"
								input={{ branch: w.branch, model: w.model }}
								words="wish no more"
								label="Wish no firmware any more for {w.model} in {w.branchName}"
								small
							/>{/if}</td
					>
				</tr>
			{/each}
		</tbody>
	</table>
	<div class="mt-3 min-h-[200px] flex-1">
		{#key sort + scope}
			<LongList
				kind="endpoint-firmware"
				columns={COLUMNS}
				first={rows}
				{total}
				{at}
				{scope}
				{sort}
				cardOf={(r: Row) => `endpoint/${r.id}`}
				cell={device}
			/>
		{/key}
	</div>
{:else}<p class="text-ink2 mt-2 text-[13.5px]">
		No firmware is wished for any branch: endpoints keep what they have. {#if may('firmware.want')}<a
				class="link"
				href={addressWith(page.url, { make: 'firmware', edit: null })}>Wish one</a
			>{/if}
	</p>{/if}

{#snippet device(r: Row, key: string)}
	{#if key === 'name'}<a class="link" href={addressWith(page.url, { card: `endpoint/${r.id}` })}>{r.name}</a>
	{:else if key === 'standing'}<span class={['pill', TONE[r.standing as string]]}>{r.standing}</span>
	{:else}{r[key] ?? ''}{/if}
{/snippet}
