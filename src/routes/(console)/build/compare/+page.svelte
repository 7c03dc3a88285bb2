<script lang="ts">
	import { countWords, sizeWords } from '$lib/core/time/units';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import { arrive } from '$lib/ui/frame/arrive';

	let { data } = $props();
	const choose = (key: 'a' | 'b') => (e: Event) =>
		arrive(
			{ [key]: (e.currentTarget as HTMLSelectElement).value },
			{
				keepFocus: true,
				noScroll: true
			}
		);
	const signed = (bytes: number) => `${bytes < 0 ? '−' : '+'}${sizeWords(Math.abs(bytes))}`;
</script>

<h1 class="sr-only">Compare versions</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	{#if data.a && data.b}
		<div class="flex items-end gap-3 text-[13px]">
			{#each [['a', data.a.id, 'From'], ['b', data.b.id, 'To']] as const as [key, value, label] (key)}
				<label class="text-ink2 text-[12.5px]"
					>{label}
					<select class="field w-[220px]" {value} onchange={choose(key)}
						>{#each data.versions as v (v.id)}<option value={v.id}>{v.words}</option>{/each}</select
					></label
				>
			{/each}
			<a class="link ml-auto pb-1" href="/api/v1/boms/{data.b.line}/{data.b.number}"
				>Contents of {data.b.words} as CycloneDX</a
			>
		</div>
		<h2 class="head mt-4">
			{data.changes.length
				? `${countWords(data.changes.length, 'part')} ${data.changes.length === 1 ? 'differs' : 'differ'}`
				: 'Nothing differs'}
			<small>{sizeWords(data.a.size)} → {sizeWords(data.b.size)}</small>
		</h2>
		{#if data.changes.length}
			<table class="grid-table mt-1 max-w-[760px]">
				<thead><tr><th>part</th><th>{data.a.words}</th><th>{data.b.words}</th><th class="num">adds</th></tr></thead>
				<tbody>
					{#each data.changes as c (c.name)}
						<tr
							><td class="font-semibold">{c.name}</td><td>{c.before ?? '–'}</td><td
								>{c.after ?? 'taken out'}{c.before === null ? ' (new)' : ''}</td
							><td class="num">{signed(c.bytes)}</td></tr
						>
					{/each}
				</tbody>
			</table>
		{/if}
		{#if data.send}
			<p class="text-ink2 mt-3 max-w-[760px] text-[13.5px]">
				A site that has {data.a.words} lacks {data.send.lacking} of the {countWords(data.send.chunks, 'chunk')} of {data
					.b.words}:
				{sizeWords(data.send.packed)} to send, instead of {sizeWords(data.send.whole)}.
			</p>
		{/if}
		{#if data.same.length}
			<h2 class="head mt-4">The same in both</h2>
			<p class="text-ink2 text-[13px]">{data.same.map((c) => `${c.name} ${c.version}`).join(' · ')}</p>
		{/if}
	{:else}<p class="text-ink2">There is no version to compare yet. Build one on the page of its line.</p>{/if}
</div>
