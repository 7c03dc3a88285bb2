<script lang="ts">
	import { untrack } from 'svelte';
	import { instantOf, localMoment } from '$lib/core/time/written';
	import { DAY } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import ChangeViews from '$lib/ui/frame/ChangeViews.svelte';

	let { data } = $props();
	const WORDS = { 'sign-in': 'sign-in', refused: 'refused', looked: 'looked' } as const;
	/** From which day on it is written out. */
	let from = $state(untrack(() => localMoment(data.zone, data.look.known - 30 * DAY).slice(0, 10)));
	const begins = $derived(instantOf(`${from}T00:00`, data.zone));
</script>

<h1 class="sr-only">Sign-ins, refusals and looks</h1>
<div class="px-[18px] py-3">
	<ChangeViews audit />
	<div class="mt-2 flex items-end gap-3">
		<h2 class="head flex-1">
			Sign-ins, refusals and looks <small
				>of operators and tokens; every line is chained to the one before it, and the change log tells of it once a day</small
			>
		</h2>
		<div class="w-[170px]"><WhenField label="From" zone={data.zone} now={data.look.known} bind:value={from} /></div>
		<a
			class={['btn', begins === null && 'pointer-events-none opacity-60']}
			aria-disabled={begins === null}
			href={begins === null ? undefined : `/api/v1/record/files.tar?from=${new Date(begins).toISOString()}`}
			download="sextant-record.tar"
			title="Changes and entries as lines of JSON, with digests and a signature that common tools check"
			>Write it out, signed</a
		>
	</div>
	<table class="grid-table mt-1" aria-label="Sign-ins, refusals and looks">
		<thead
			><tr><th>number</th><th>when</th><th>what</th><th>who</th><th>as</th><th>in words</th><th>from</th></tr></thead
		>
		<tbody>
			{#each data.entries as e (e.number)}
				<tr>
					<td>{e.number}</td><td class="whitespace-nowrap">{momentWords(data.zone, e.at)}</td>
					<td><span class={['pill', e.good ? 'pill-kelp' : 'pill-sand']}>{WORDS[e.kind]}</span></td>
					<td>{e.who}</td><td class="text-ink2">{e.role}</td><td class="break-words">{e.words}</td>
					<td class="text-ink2 font-mono text-[12.5px]">{e.address}</td>
				</tr>
			{:else}<tr><td colspan="7" class="text-ink2">Nothing yet: nobody has signed in.</td></tr>{/each}
		</tbody>
	</table>
	{#if data.entries.length === data.shown}<p class="text-ink2 mt-2 text-[13px]">
			The latest {data.shown}. Earlier ones are in the files, and at
			<code class="font-mono">/api/v1/record-entries</code>.
		</p>{/if}
</div>
