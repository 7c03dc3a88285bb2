<script lang="ts">
	import { page } from '$app/state';
	import type { WaitSummary } from '$lib/core/capacity/waits';
	import { countWords, durationWords } from '$lib/core/time/units';
	import { clockWords, dayWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import Why from '$lib/ui/why/Why.svelte';
	import DemandChart from './DemandChart.svelte';
	import PolicyForm from './PolicyForm.svelte';

	let { data } = $props();
	const wide = $derived(!(data.card || data.plan));
	/** `3 people waited 5 times for a machine; twice they gave up`: people, waits and give-ups told apart. */
	function waitWords({ people, times: n, gaveUp }: WaitSummary): string {
		const who = countWords(people, 'person', 'people');
		const times = n === people ? '' : ` ${countWords(n, 'time')}`;
		return `${who} waited${times} for a machine${gaveUp ? `, and gave up ${countWords(gaveUp, 'time')}` : ''}`;
	}
</script>

<h1 class="sr-only">Scale</h1>
{#if !data.pool}
	<p class="text-ink2 p-6">No pool lies in this scope. Pools are made in Publish.</p>
{:else}
	<div class={['grid min-h-full', wide ? 'grid-cols-[minmax(0,1fr)_352px]' : 'grid-cols-1']}>
		<section class="px-[18px] py-3">
			<LeftOut left={data.left} of="pools" />
			<h2 class="head">
				{data.pool.name}, {dayWords(data.pool.zone, data.day!.from)}
				<small>demand and capacity over the day, on {data.pool.siteName}’s clock</small>
			</h2>
			<DemandChart
				day={data.day!}
				ahead={data.ahead!}
				waits={data.waits!}
				zone={data.pool.zone}
				now={data.clock.now}
				theme={data.theme}
			/>
			<p class="text-ink2 mt-1 text-[13px]">
				{#if data.waits!.times}
					{waitWords(data.waits!)}, the longest {durationWords(data.waits!.longest)}:
					{#each data.waits!.first as w, i (w.login + w.at)}{i ? ', ' : ''}<a
							class="link"
							href={addressWith(page.url, { card: `person/${w.login}` })}>{w.name}</a
						>
						{durationWords(w.waited)}{w.gaveUp ? ', then gave up' : ''}{/each}{data.waits!.times >
					data.waits!.first.length
						? ' …'
						: '.'}
				{:else}Nobody had to wait for a machine on this day.{/if}
			</p>
			{#if data.backtest}
				<p class="text-ink2 text-[13px]">
					Forecasts made six hours ahead: of {countWords(data.backtest.moments, 'hour')} of the last seven days, {Math.round(
						data.backtest.coverage * 100
					)} % fell within the band that is to hold 90 %; mean pinball loss {data.backtest.pinball.toFixed(2)} sessions.
				</p>
			{/if}
			<h2 class="head mt-5">
				Why machines were started and stopped <small>the policy acts every minute; newest first</small>
			</h2>
			<ul class="mt-1 text-[13px]">
				{#each data.actions! as a (a.name + a.at)}
					<li class="border-hair2 border-b py-1">
						<details>
							<summary>
								<span class="text-ink3">{clockWords(data.pool.zone, a.at)}</span>
								<b class="font-semibold">{a.name}</b>
								{a.action === 'start' ? 'started' : 'stopped'}: {a.facts.at(-1)?.words}
							</summary>
							<div class="py-1 pl-4">
								<a class="link" href={addressWith(page.url, { card: `machine/${a.name}` })}>{a.name}</a>
								<Why facts={a.facts} zone={data.pool.zone} />
							</div>
						</details>
					</li>
				{:else}<li class="text-ink2 py-2">The policy has started and stopped nothing yet.</li>{/each}
			</ul>
			<h2 class="head mt-5">Pools <small>at this moment</small></h2>
			<table class="grid-table mt-1">
				<thead
					><tr
						><th>pool</th><th>site</th><th class="num">sessions</th><th class="num">seats free</th><th class="num"
							>to be kept ready</th
						><th class="num">machines up</th></tr
					></thead
				>
				<tbody>
					{#each data.pools as p (p.id)}
						<tr class={p.id === data.pool.id ? 'bg-seawash' : ''}>
							<td
								><a
									class="link"
									data-row
									href={addressWith(page.url, { pool: p.id })}
									aria-current={p.id === data.pool.id ? 'true' : undefined}>{p.name}</a
								></td
							>
							<td>{p.siteName}</td><td class="num">{p.sessions}</td>
							<td class="num"
								>{#if p.assignment === 'shared'}<span class={p.free < p.headroom ? 'text-sand font-semibold' : ''}
										>{p.free}</span
									>{:else}<span class="text-ink3">personal</span>{/if}</td
							>
							<td class="num">{p.headroom}</td><td class="num">{p.up} of {p.machines}</td>
						</tr>
					{/each}
				</tbody>
			</table>
		</section>
		<section class={['bg-sheet px-[18px] py-[14px]', wide && 'border-hair border-l']}>
			{#key data.pool.id}<PolicyForm
					pool={data.pool}
					hours={data.hours!}
					may={data.look.live && data.mayDraft.includes('policy.set')}
				/>{/key}
			<p class="text-ink2 mt-3 text-[12.5px]">
				Each machine: {data.pool.cores} cores{data.pool.gpus ? `, ${countWords(data.pool.gpus, 'GPU')}` : ''}, {data.startTime
					? `takes ${durationWords(data.startTime)} from off to its agent (measured, 90th percentile)`
					: 'has not been started lately'}, € {(data.pool.priceHour / 100).toFixed(2)} an hour.
			</p>
		</section>
	</div>
{/if}
