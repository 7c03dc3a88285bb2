<script lang="ts">
	import { sizeWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { arrive } from '$lib/ui/frame/arrive';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { SHARE } from '$lib/ui/forms/measures';
	import type { Unread } from '$lib/ui/forms/unread';
	import Foreseen from '$lib/ui/plan/Foreseen.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	let { data } = $props();
	const may = $derived(data.look.live && data.mayDraft.includes('image.ship'));
	let chosen: string[] = $state([]);
	const waiting = $derived(data.sites.filter((p) => !p.whole && !p.underway));
	const picked = $derived(chosen.filter((c) => waiting.some((p) => p.id === c)));
	const form = new PlanForm({
		kind: 'image.ship',
		start: { from: '01:00', until: '05:00', share: 50 as number | Unread, nights: '7' },
		input: (f) => ({
			line: data.chosen?.line ?? '',
			number: data.chosen?.number ?? '',
			sites: picked,
			from: f.from,
			until: f.until,
			share: f.share,
			nights: Number(f.nights)
		}),
		wrong: () => (picked.length ? {} : { sites: 'Choose at least one site.' })
	});
	const f = form.f;
	const errors = $derived(form.errors);
</script>

<h1 class="sr-only">Shipping</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	{#if data.chosen}
		<div class="flex items-end gap-3">
			<label class="text-ink2 text-[12.5px]"
				>Version
				<select
					class="field w-[240px]"
					value={data.chosen.id}
					onchange={(e) => arrive({ version: e.currentTarget.value }, { keepFocus: true, noScroll: true })}
					>{#each data.versions as v (v.id)}<option value={v.id}>{v.words}</option>{/each}</select
				></label
			>
			<p class="text-ink2 pb-1 text-[13px]">
				{data.sites.filter((p) => p.whole).length} of {data.sites.length} sites have it whole. What a site has of other versions
				is not sent again.
			</p>
		</div>
		<form onsubmit={form.submit} novalidate>
			<table class="grid-table mt-2">
				<thead
					><tr
						><th class="w-8"><span class="sr-only">ship there</span></th><th>site</th><th>link</th><th>has of it</th><th
							class="num">to send</th
						><th>state</th></tr
					></thead
				>
				<tbody>
					{#each data.sites as p (p.id)}
						{@const share = p.whole ? 1 : p.of ? 1 - p.lacks / p.of : 0}
						<tr>
							<td
								>{#if may && !p.whole && !p.underway}<input
										type="checkbox"
										aria-label="Ship to {p.name}"
										checked={chosen.includes(p.id)}
										onchange={(e) =>
											(chosen = e.currentTarget.checked ? [...chosen, p.id] : chosen.filter((c) => c !== p.id))}
									/>{/if}</td
							>
							<td class="font-semibold">{p.name}</td>
							<td class="text-ink2"
								>{#if p.home}home of the images{:else if p.link}{p.link.mbit} Mbit/s to {p.link.to}{p.link.loss
										? `, ${Math.round(p.link.loss * 100)} % lost`
										: ''}{:else}none{/if}</td
							>
							<td
								><span class="flex items-center gap-2"
									><span class="bg-hair2 inline-block h-2 w-[120px] overflow-hidden rounded" aria-hidden="true"
										><span class="bg-sea block h-2" style="width:{100 * share}%"></span></span
									>{Math.floor(share * 100)} %</span
								></td
							>
							<td class="num">{p.whole ? '–' : sizeWords(p.lacks)}</td>
							<td
								>{#if p.whole}<span class="pill pill-kelp">whole</span>{:else if p.underway}<span class="pill pill-sea"
										>on its way</span
									>
									{p.due ? `about ${momentWords(p.zone, p.due)} local time` : 'not in time'}{:else}<span
										class="pill pill-sand">lacks it</span
									>{/if}</td
							>
						</tr>
					{/each}
				</tbody>
			</table>
			{#if errors.sites}<p class="text-buoy text-[12.5px]" role="alert">{errors.sites}</p>{/if}
			{#if may && waiting.length}
				<div class="mt-3 grid max-w-[900px] grid-cols-[130px_130px_150px_130px_1fr] items-end gap-x-4">
					<TextField label="Every night from" hint="local" problem={errors.from} bind:value={f.from} />
					<TextField label="until" problem={errors.until} bind:value={f.until} />
					<MeasureField label="Share of the link" measure={SHARE} problem={errors.share} bind:value={f.share} />
					<TextField label="Nights at most" problem={errors.nights} bind:value={f.nights} inputmode="numeric" />
					<div class="pb-[22px]">
						<button class="btn btn-go" disabled={form.busy}
							>Plan to ship{picked.length > 1 ? ` to ${picked.length} sites` : ''}</button
						>
					</div>
				</div>
				<Foreseen {form} />
				{#if errors.form || errors.number}<p class="text-buoy text-[13px]" role="alert">
						{errors.form ?? errors.number}
					</p>{/if}
			{/if}
		</form>
	{:else}<p class="text-ink2">There is no version to ship yet. Build one on the page of its line.</p>{/if}

	{#if data.shipments.length}
		<h2 class="head mt-5">Shipments</h2>
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>version</th><th>begun</th><th>site</th><th>sent</th><th>whole there</th><th class="num">breaks</th><th
						>state</th
					></tr
				></thead
			>
			<tbody>
				{#each data.shipments as s (s.id)}
					{#each s.sites.filter((p) => p.target) as p, i (p.site)}
						<tr>
							<td
								>{#if i === 0}<a class="link" href="/jobs/{s.jobId}">{s.line} {s.number}</a>{/if}</td
							>
							<td>{i === 0 ? momentWords(data.zone, s.began) : ''}</td>
							<td>{p.name}</td>
							<td
								><span class="flex items-center gap-2"
									><span class="bg-hair2 inline-block h-2 w-[90px] overflow-hidden rounded" aria-hidden="true"
										><span
											class="bg-sea block h-2"
											style="width:{p.bytes ? Math.min(100, (100 * p.sent) / p.bytes) : 100}%"
										></span></span
									>{sizeWords(p.sent)} of {sizeWords(p.bytes)}</span
								></td
							>
							<td
								>{p.wholeAt
									? momentWords(p.zone, p.wholeAt)
									: p.due
										? `about ${momentWords(p.zone, p.due)}`
										: 'not in time'}</td
							>
							<td class="num">{p.breaks || ''}</td>
							<td
								><span class={['pill', p.wholeAt ? 'pill-kelp' : s.outcome ? 'pill-buoy' : 'pill-sea']}
									>{p.wholeAt ? 'whole' : (s.outcome ?? 'on its way')}</span
								></td
							>
						</tr>
					{/each}
				{/each}
			</tbody>
		</table>
	{/if}
</div>
