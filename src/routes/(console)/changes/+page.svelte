<script lang="ts">
	import { page } from '$app/state';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import ChangeViews from '$lib/ui/frame/ChangeViews.svelte';
	import CompareForm from './CompareForm.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
</script>

<h1 class="sr-only">Change log</h1>
<div class="px-[18px] py-3">
	<ChangeViews audit={data.seesRecord} />
	<h2 class="head mt-2">
		Change log <small>every line is chained to the one before it; nothing is ever taken out</small>
	</h2>
	{#if data.seesRecord && data.whole}<CompareForm />{/if}
	<table class="grid-table mt-1">
		<thead
			><tr
				><th>number</th><th>when</th><th>what</th><th>by</th><th>by way of</th><th>outcome</th><th
					><span class="sr-only">actions</span></th
				></tr
			></thead
		>
		<tbody>
			{#each data.changes as c (c.number)}
				<tr>
					<td>{c.number}</td><td class="whitespace-nowrap">{momentWords(data.zone, c.at)}</td>
					<td><a class="link" data-row href={addressWith(page.url, { card: `change/${c.number}` })}>{c.title}</a></td>
					<td>{c.by}</td><td class="text-ink2">{c.via}</td>
					<td
						><span
							class={['pill', c.outcome === 'done' ? 'pill-kelp' : c.outcome === 'failed' ? 'pill-buoy' : 'pill-sand']}
							>{c.outcome}</span
						></td
					>
					<td class="num"
						>{#if c.undo && data.look.live && data.mayDraft.includes(c.undo.kind)}<PlanButton
								kind={c.undo.kind}
								input={c.undo.input}
								words="Undo"
							/>{/if}</td
					>
				</tr>
			{:else}<tr
					><td colspan="7" class="text-ink2 py-4"
						>Nothing has been changed yet. Every committed plan leaves a line here.</td
					></tr
				>{/each}
		</tbody>
	</table>
</div>
