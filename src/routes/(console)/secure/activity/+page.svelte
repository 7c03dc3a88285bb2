<script lang="ts">
	import { page } from '$app/state';
	import { countWords, numberWords, sizeWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';
	import { addressWith } from '$lib/ui/frame/address';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import SecureNav from '$lib/ui/secure/SecureNav.svelte';
	import HourBars from './HourBars.svelte';
	import KeepForm from './KeepForm.svelte';
	import LookForm from './LookForm.svelte';
	import Reached from './Reached.svelte';
	import Tops from './Tops.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const SPANS = [
		[1, 'today'],
		[7, '7 days'],
		[30, '30 days']
	] as const;
	const percent = (part: number, of: number) => `${((100 * part) / Math.max(1, of)).toFixed(1)} %`;
	// What decides where no rule does is most of it everywhere: rules are drawn against each other.
	const most = $derived(Math.max(1, ...(data.sums?.rules ?? []).map((r) => (r.rule === '' ? 0 : r.decisions))));
	/** Little is seen to be little, and not to be nothing. */
	const wide = (n: number) => (n === 0 ? '0' : `max(3px, ${Math.min(100, (100 * n) / most)}%)`);
</script>

<svelte:head><title>Activity · Sextant</title></svelte:head>
<h1 class="sr-only">Activity</h1>
<div class="px-[18px] py-3">
	<SecureNav />
	<LeftOut left={data.left} of="what people reach" />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">
			What people will reach is not foreseen: this is as far as it has come.
		</p>{/if}
	{#if data.login}
		<div class="flex flex-wrap items-baseline gap-x-4">
			<h2 class="head">
				What {data.person?.name ?? data.login} reached <small>kept for {countWords(data.kept, 'day', 'days')}</small>
			</h2>
			<a class="link ml-auto text-[13px]" href={addressWith(page.url, { person: null, skip: null })}
				>Everybody, in sums</a
			>
		</div>
		{#if !data.person}<p class="text-buoy mt-2 text-[13.5px]">The directory knows nobody of that login.</p>
		{:else if data.reached && data.looking}
			<p class="text-ink2 text-[13px]">
				You may look until {momentWords(data.zone, data.looking.ends)}. On record: “{data.looking.why}”
			</p>
			<Reached reached={data.reached} person={data.person} zone={data.zone} />
		{:else}
			<section class="mt-2 max-w-[460px]" aria-label="Say why">
				<p class="text-[13.5px]">
					What somebody reached is theirs. Whoever looks says why; both stay on record, where auditors read them.
				</p>
				{#if may('activity.look')}{#key data.person.login}<LookForm person={data.person} />{/key}{:else}<p
						class="text-ink2 mt-2 text-[13px]"
					>
						{data.look.live ? 'Your role may not look.' : 'A look begins now: go back to live first.'}
					</p>{/if}
			</section>
		{/if}
	{:else}
		<div class="flex flex-wrap items-baseline gap-x-4 gap-y-1">
			{#if data.sums}<p class="text-[13.5px]">
					<b class="font-[650]">{numberWords(data.sums.decisions)}</b> decisions,
					<b class="font-[650]">{percent(data.sums.refused, data.sums.decisions)}</b> of them refused, about
					<b class="font-[650]">{countWords(data.sums.people, 'person', 'people')}</b>;
					{sizeWords(data.sums.down)} to them, {sizeWords(data.sums.up)} from them
				</p>{/if}
			<nav class="ml-auto flex gap-3 text-[13px]" aria-label="How far back">
				{#each SPANS as [days, words] (days)}<a
						href={addressWith(page.url, { days: days === 7 ? null : days })}
						aria-current={data.days === days ? 'page' : undefined}
						class={[
							'border-b-2 pb-0.5',
							data.days === days ? 'border-sea font-[650]' : 'text-ink2 hover:text-sea border-transparent'
						]}>{words}</a
					>{/each}
			</nav>
		</div>
		<div class="@container">
			<div class="grid gap-x-6 @min-[980px]:grid-cols-[minmax(0,1fr)_360px]">
				<div class="min-w-0">
					{#if data.sums}
						<HourBars hours={data.sums.hours} zone={data.zone} />
						<h2 class="head mt-4">Which rules decided <small>refused ones in orange</small></h2>
						<ul class="mt-1" aria-label="Which rules decided">
							{#each data.sums.rules as r (r.rule)}
								<li
									class="border-hair grid grid-cols-[34px_minmax(0,1fr)_90px_210px] items-center gap-x-3 border-b py-[5px] text-[13.5px]"
								>
									<span class="text-ink2 text-right tabular-nums">{r.number ?? '–'}</span>
									<span class="min-w-0 truncate"
										>{#if r.number !== null}<a
												class="link"
												href={addressWith(page.url, { card: `access-rule/${r.rule}` })}>{r.name}</a
											>{:else}{r.name}{/if}</span
									>
									<span class="text-ink2 text-right tabular-nums">{countWords(r.people, 'person', 'people')}</span>
									<span class="flex items-center gap-2">
										<span class="w-[72px] text-right font-[620] tabular-nums">{numberWords(r.decisions)}</span>
										<span class="bg-shade flex h-[7px] flex-1 overflow-hidden rounded-sm" aria-hidden="true">
											<span class="bg-sea2" style:width={wide(r.decisions - r.refused)}></span>
											<span class="bg-buoy" style:width={wide(r.refused)}></span>
										</span>
										<span class="sr-only">{numberWords(r.refused)} refused</span>
									</span>
								</li>
							{:else}<li class="text-ink2 py-4 text-[13.5px]">
									Nothing was decided in this time: nobody reached anything through what holds these rules.
								</li>{/each}
						</ul>
						<h2 class="head mt-5">Reached most often</h2>
						<Tops title="Reached most often" rows={data.sums.targets} none="Nothing was reached." />
					{:else}<p class="mt-3 max-w-[70ch] text-[13.5px]">
							The scope holds {countWords(data.few ?? 0, 'person', 'people')}
							{(data.few ?? 0) < data.least ? '' : 'and speaks of single ones'}: sums of fewer than {data.least}, or
							with and without one of them, would tell what each of them did. Say why, and look at one of them.
						</p>{/if}
				</div>
				<aside class="mt-2 flex min-w-0 flex-col gap-5" aria-label="Look closer">
					{#if may('activity.look')}<section aria-label="Look at what somebody reached">
							<h2 class="head">What somebody reached <small>you say why, on record</small></h2>
							<LookForm person={null} />
						</section>{/if}
					{#if data.sums}<section class="min-w-0 overflow-x-auto" aria-label="Refused most often">
							<h2 class="head">Refused most often</h2>
							<ul class="mt-1 text-[13.5px]">
								{#each data.sums.refusedTargets as t (`${t.kind} ${t.target}`)}<li
										class="border-hair flex gap-2 border-b py-[5px]"
									>
										<span class="min-w-0 flex-1 truncate"
											>{t.name}{#if t.category}<span class="text-ink2 ml-1">· {t.category}</span>{/if}</span
										>
										<span class="text-buoy font-[620] tabular-nums">{numberWords(t.refused)}</span>
									</li>{:else}<li class="text-ink2 py-2">Nothing was refused.</li>{/each}
							</ul>
						</section>{/if}
					<section aria-label="Who looked">
						<h2 class="head">Who looked <small>the latest</small></h2>
						<ul class="mt-1 text-[13.5px]">
							{#each data.looks as l (l.id)}<li class="border-hair border-b py-[5px]">
									<b class="font-[620]">{l.by}</b> at {l.person}
									<span class="text-ink2 block text-[12.5px]">{momentWords(data.zone, l.at)} · “{l.why}”</span>
								</li>{:else}<li class="text-ink2 py-2">Nobody has looked at what somebody reached.</li>{/each}
						</ul>
					</section>
					{#if may('activity.keep')}<section aria-label="How long it is kept">
							<h2 class="head">How long it is kept <small>after that only sums are</small></h2>
							{#key data.kept}<KeepForm days={data.kept} />{/key}
						</section>{/if}
				</aside>
			</div>
		</div>
	{/if}
</div>
