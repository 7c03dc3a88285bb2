<script lang="ts">
	import { goto, invalidate } from '$app/navigation';
	import { untrack } from 'svelte';
	import { SITE_CHECK_WORDS, type SiteResult } from '$lib/core/network/site-checks';
	import { countWords, sizeWords } from '$lib/core/time/units';
	import { dateWords, momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { DELAY, MONEY, SHARE, SPEED, type Measure } from '$lib/ui/forms/measures';
	import { Unread, unreadIn } from '$lib/ui/forms/unread';
	import { call } from '$lib/ui/plan/api';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import Why from '$lib/ui/why/Why.svelte';

	let { data } = $props();
	const j = $derived(data.joining);
	const may = $derived(data.look.live && !data.over && data.mayDraft.includes('site.join'));
	const NAMES: Record<string, string> = {
		address: 'Provider',
		certificate: 'Certificate',
		account: 'Account',
		particulars: 'Site',
		directory: 'Directory',
		prices: 'Prices',
		checks: 'Checks'
	};
	const steps = $derived([...data.steps, 'checks']);
	/** The question shown: the one chosen, or the first without an answer. */
	let chosen: string | null = $state(null);
	const open = $derived(chosen ?? j.next ?? 'checks');
	const reach = $derived(j.next === null ? steps.length : steps.indexOf(j.next) + 1);

	const ZONES = Intl.supportedValuesOf('timeZone').map((id) => ({ id, name: id.replaceAll('_', ' ') }));

	let errors: Record<string, string> = $state({});
	let busy = $state(false);
	let checks: SiteResult[] | null = $state(null);
	/** What a field holds before anything is written in it. */
	const nothing = (m: Measure): number | Unread => new Unread('', m.problem);
	const percent = (share: number) => Math.round(share * 1e6) / 1e4;
	let f = $state(
		untrack(() => ({
			address: data.joining.address ?? '',
			account: data.joining.account?.account ?? '',
			secret: '',
			name: data.joining.particulars?.name ?? '',
			kind: data.joining.particulars?.kind ?? 'office',
			timeZone: data.joining.particulars?.timeZone ?? data.homeZone,
			networks: data.joining.particulars?.networks ?? [],
			to: data.joining.particulars?.link?.to ?? data.home,
			mbit: data.joining.particulars?.link?.mbit ?? nothing(SPEED),
			latency: data.joining.particulars?.link?.latency_ms ?? nothing(DELAY),
			loss: percent(data.joining.particulars?.link?.loss ?? 0) as number | Unread,
			// Where no other site is there yet, none can be linked to.
			linked: data.sites.length > 0 && data.joining.particulars?.link !== null,
			planned: String(data.joining.particulars?.planned ?? ''),
			folder: data.joining.directory?.folder ?? '',
			joinAccount: data.joining.directory?.account ?? '',
			joinSecret: '',
			hostHour: data.joining.prices?.hostHour ?? nothing(MONEY),
			volumeMonth: data.joining.prices?.volumeMonth ?? nothing(MONEY)
		}))
	);

	async function save(step: string, input: unknown) {
		errors = unreadIn(input);
		if (Object.keys(errors).length) return;
		busy = true;
		const answer = await call('POST', `/joinings/${j.id}/${step}`, input);
		busy = false;
		if (!answer.ok) {
			const { errors: wrong, detail } = answer.refusal;
			errors = wrong.length ? Object.fromEntries(wrong.map((e) => [e.field, e.words])) : { form: detail };
			return;
		}
		errors = {};
		chosen = null;
		checks = null;
		await invalidate('sextant:joining');
		if (step === 'account') prefill();
	}

	/** What the provider told is proposed where nothing has been written yet. */
	function prefill() {
		const offer = j.account?.offer;
		if (!offer) return;
		if (f.networks.length === 0) f.networks = offer.networks.map((n) => n.id);
		const link = offer.links.find((l) => l.to === f.to) ?? offer.links[0];
		if (link && f.mbit instanceof Unread && f.mbit.written === '') {
			f.to = link.to;
			f.mbit = link.mbit;
			f.latency = link.latency_ms;
			f.loss = percent(link.loss);
		}
	}
	// Whoever goes on where another stopped finds the same proposed.
	untrack(prefill);
	const number = (text: string) => (text.trim() === '' ? Number.NaN : Number(text));
	const submit = (e: SubmitEvent) => {
		e.preventDefault();
		if (open === 'address') void save('address', { address: f.address });
		if (open === 'certificate') void save('certificate', { fingerprint: j.certificate!.fingerprint });
		if (open === 'account') void save('account', { account: f.account, secret: f.secret });
		if (open === 'particulars')
			void save('particulars', {
				name: f.name,
				kind: f.kind,
				timeZone: f.timeZone,
				networks: f.networks,
				link: f.linked
					? {
							to: f.to,
							mbit: f.mbit,
							latency_ms: f.latency,
							loss: f.loss instanceof Unread ? f.loss : f.loss / 100
						}
					: null,
				planned: number(f.planned)
			});
		if (open === 'directory')
			void save('directory', { folder: f.folder, account: f.joinAccount, secret: f.joinSecret });
		if (open === 'prices') void save('prices', { hostHour: f.hostHour, volumeMonth: f.volumeMonth });
	};

	async function look() {
		busy = true;
		const answer = await call<{ checks: SiteResult[] }>('POST', `/joinings/${j.id}/checks`);
		busy = false;
		if (answer.ok) checks = answer.value.checks;
		else errors = { form: answer.refusal.detail };
	}
	async function giveUp() {
		await call('DELETE', `/joinings/${j.id}`);
		await goto('/build/sites');
	}
</script>

<h1 class="sr-only">Join up a site</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	<div class="flex items-baseline">
		<h2 class="head">
			{j.site ? `Change how ${j.site} is reached` : 'Join up a site'}
			<small
				>begun by {j.by}, {momentWords(data.zone, j.since)}; every answer is kept, and can be gone on with later</small
			>
		</h2>
		{#if may}<button class="btn ml-auto" onclick={giveUp}>Give it up</button>{/if}
	</div>
	{#if data.over}<p class="bg-shade mt-2 rounded-md px-3 py-2 text-[13.5px]">
			This is over: {j.outcome}. <a class="link" href="/build/sites">All sites</a>
		</p>{/if}
	<div class="@container mt-3">
		<div
			class="grid grid-cols-[190px_minmax(0,560px)] gap-x-8 gap-y-5 @5xl:grid-cols-[190px_minmax(0,560px)_minmax(0,1fr)]"
		>
			<nav aria-label="Questions">
				<ol class="text-[13.5px]">
					{#each steps as s, i (s)}
						<li>
							<button
								class={[
									'flex w-full items-baseline gap-2 rounded-md px-2 py-[5px] text-left disabled:cursor-default',
									open === s ? 'bg-seawash text-sea font-semibold' : i < reach ? 'hover:bg-shade' : 'text-ink3'
								]}
								disabled={i >= reach}
								aria-current={open === s ? 'step' : undefined}
								onclick={() => {
									chosen = s;
									errors = {};
								}}
								><span class="w-4 text-right tabular-nums">{i + 1}</span>{NAMES[s]}<span
									class="text-ink3 ml-auto text-[12px]"
									>{i < reach - (j.next === null ? 1 : 1) && s !== 'checks' ? 'answered' : ''}</span
								></button
							>
						</li>
					{/each}
				</ol>
			</nav>

			<form onsubmit={submit} oninput={() => (errors = {})} novalidate>
				<fieldset disabled={!may || busy} class="contents">
					{#if open === 'address'}
						<p class="text-ink2 mb-2 text-[13.5px]">
							Where does its compute provider answer? Its certificate is fetched.
						</p>
						<TextField
							label="Address"
							hint="host and port"
							problem={errors.address}
							bind:value={f.address}
							placeholder="compute.site.example:8443"
							autocomplete="off"
						/>
					{:else if open === 'certificate' && j.certificate}
						{@const c = j.certificate}
						<dl class="grid grid-cols-[110px_1fr] gap-y-1.5 text-[13.5px]">
							<dt class="text-ink2">Subject</dt>
							<dd>{c.subject}</dd>
							<dt class="text-ink2">Issuer</dt>
							<dd>{c.issuer}</dd>
							<dt class="text-ink2">Names</dt>
							<dd>{c.names.join(', ')}</dd>
							<dt class="text-ink2">Valid</dt>
							<dd>{dateWords(data.zone, c.from)} to {dateWords(data.zone, c.until)}</dd>
							<dt class="text-ink2">SHA-256</dt>
							<dd class="font-mono text-[12.5px]">
								{c.fingerprint.slice(0, 48)}<wbr />{c.fingerprint.slice(48)}
							</dd>
						</dl>
						<div class="mt-2"><Why facts={c.standing.facts} zone={data.zone} /></div>
						{#if c.standing.value === 'to confirm'}
							<p class="mt-2 text-[13.5px]">
								Compare the fingerprint with the one that the provider shows at its own screen. Confirm it only when
								every pair is the same.
							</p>
						{:else if c.standing.value === 'refused'}
							<p class="text-buoy mt-2 text-[13.5px]">It cannot be confirmed. Once it is mended, fetch it again.</p>
						{/if}
						{#if errors.fingerprint}<p class="text-buoy text-[12.5px]" role="alert">{errors.fingerprint}</p>{/if}
					{:else if open === 'account'}
						<p class="text-ink2 mb-2 text-[13.5px]">
							The provider is asked at once what it has. The secret is sealed before it is kept, and is never shown
							again.
						</p>
						<TextField label="Account" problem={errors.account} bind:value={f.account} autocomplete="off" />
						<TextField
							label="Secret"
							problem={errors.secret}
							type="password"
							bind:value={f.secret}
							autocomplete="new-password"
						/>
					{:else if open === 'particulars' && j.account}
						<div class="grid grid-cols-2 gap-x-4">
							<TextField label="Name" problem={errors.name} bind:value={f.name} />
							<Field label="Kind" problem={errors.kind}
								>{#snippet children(p)}<select {...p} class="field" bind:value={f.kind}
										><option value="office">office</option><option value="ship">ship</option><option value="rented"
											>rented</option
										></select
									>{/snippet}</Field
							>
							<PickField label="Time zone" options={ZONES} problem={errors.timeZone} bind:value={f.timeZone} />
							<TextField
								label="Machines planned there"
								problem={errors.planned}
								bind:value={f.planned}
								inputmode="numeric"
							/>
						</div>
						<fieldset class="mb-2">
							<legend class="text-ink2 text-[12.5px]">Networks for its machines</legend>
							{#each j.account.offer.networks as n (n.id)}<label class="mr-5 text-[13.5px]"
									><input
										type="checkbox"
										checked={f.networks.includes(n.id)}
										onchange={(e) =>
											(f.networks = e.currentTarget.checked
												? [...f.networks, n.id]
												: f.networks.filter((x) => x !== n.id))}
									/>
									{n.id}
									<span class="text-ink3">{n.range}, {n.free} free</span></label
								>{/each}
							{#if errors.networks}<p class="text-buoy text-[12.5px]" role="alert">{errors.networks}</p>{/if}
						</fieldset>
						{#if data.sites.length}<label class="text-[13.5px]"
								><input type="checkbox" bind:checked={f.linked} /> a link leads from there to another site</label
							>{/if}
						{#if f.linked}
							<div class="mt-1 grid grid-cols-4 gap-x-4">
								<Field label="To" problem={errors['link.to']}
									>{#snippet children(p)}<select {...p} class="field" bind:value={f.to}
											>{#each data.sites as s (s.id)}<option value={s.id}>{s.name}</option>{/each}</select
										>{/snippet}</Field
								>
								<MeasureField label="Speed" measure={SPEED} problem={errors['link.mbit']} bind:value={f.mbit} />
								<MeasureField
									label="Delay"
									measure={DELAY}
									problem={errors['link.latency_ms']}
									bind:value={f.latency}
								/>
								<MeasureField label="Lost" measure={SHARE} problem={errors['link.loss']} bind:value={f.loss} />
							</div>
						{/if}
					{:else if open === 'directory'}
						<p class="text-ink2 mb-2 text-[13.5px]">
							Its machines join the directory {data.domain}. Where do their computer accounts stand, and who makes them?
							It is tried out at once.
						</p>
						<Field label="Folder" problem={errors.folder}
							>{#snippet children(p)}<select {...p} class="field" bind:value={f.folder}
									><option value="">choose a folder</option>{#each data.folders as x (x)}<option>{x}</option
										>{/each}</select
								>{/snippet}</Field
						>
						<TextField
							label="Directory account"
							problem={errors.account}
							bind:value={f.joinAccount}
							autocomplete="off"
						/>
						<TextField
							label="Its secret"
							problem={errors.secret}
							type="password"
							bind:value={f.joinSecret}
							autocomplete="new-password"
						/>
					{:else if open === 'prices'}
						<p class="text-ink2 mb-2 text-[13.5px]">What it costs to run there: plans count with it.</p>
						<div class="grid grid-cols-2 gap-x-4">
							<MeasureField label="A host, an hour" measure={MONEY} problem={errors.hostHour} bind:value={f.hostHour} />
							<MeasureField
								label="A terabyte, a month"
								measure={MONEY}
								problem={errors.volumeMonth}
								bind:value={f.volumeMonth}
							/>
						</div>
					{:else if open === 'checks'}
						<p class="text-ink2 mb-2 text-[13.5px]">
							Everything is answered. The same checks run every five minutes once the site is joined up.
						</p>
						<button type="button" class="btn" onclick={look}>{checks ? 'Look again' : 'Look now'}</button>
						{#if checks}
							<ul class="mt-2 text-[13.5px]" aria-label="Checks">
								{#each checks as c (c.name)}
									<li class="border-hair2 flex gap-3 border-b py-1.5">
										<span
											class={[
												'pill h-fit w-[52px] shrink-0 text-center',
												c.ok === null ? 'bg-shade' : c.ok ? 'pill-kelp' : 'pill-buoy'
											]}>{c.ok === null ? 'open' : c.ok ? 'passes' : 'fails'}</span
										>
										<span
											>{SITE_CHECK_WORDS[c.name].asks}<span class="text-ink2 block text-[13px]">{c.saw}</span
											>{#if c.remedy}<b class="block text-[13px] font-semibold">{c.remedy}</b>{/if}</span
										>
									</li>
								{/each}
							</ul>
						{/if}
					{/if}
					{#if errors.form}<p class="text-buoy text-[13px]" role="alert">{errors.form}</p>{/if}
					{#if may}
						<div class="mt-3 flex gap-3">
							{#if open === 'address'}<button class="btn btn-go">Fetch its certificate</button>
							{:else if open === 'certificate' && j.certificate?.standing.value === 'to confirm'}<button
									class="btn btn-go">I have compared it: confirm</button
								>
							{:else if open === 'certificate' && j.certificate?.standing.value === 'refused'}<button
									type="button"
									class="btn"
									onclick={() => save('address', { address: j.address })}>Fetch it again</button
								>
							{:else if open === 'certificate'}<button
									type="button"
									class="btn btn-go"
									onclick={() => (chosen = 'account')}>Go on</button
								>
							{:else if open === 'checks'}<PlanButton
									kind={j.site ? 'site.renew' : 'site.join'}
									input={{ joining: j.id }}
									words={j.site ? 'Plan the change' : 'Plan to join it up'}
									main
								/>
							{:else}<button class="btn btn-go">Save and go on</button>{/if}
						</div>
					{/if}
				</fieldset>
			</form>

			<aside class="col-start-2 text-[13px] @5xl:col-start-3" aria-label="What is known so far">
				{#if j.account}
					{@const o = j.account.offer}
					<h3 class="head">What the provider has <small>it calls the site {o.site}</small></h3>
					<ul class="mt-1">
						{#each o.hosts as h (h.name)}<li class="border-hair2 border-b py-1">
								{h.name}
								<span class="text-ink3"
									>{h.cores} cores, {sizeWords(h.memory)}{h.gpus ? `, ${countWords(h.gpus, 'GPU')}` : ''}</span
								>
							</li>{/each}
						{#each o.volumes as x (x.id)}<li class="border-hair2 border-b py-1">
								{x.id}
								<span class="text-ink3">{sizeWords(x.size)}, {x.iops.toLocaleString('en')} operations a second</span>
							</li>{/each}
						{#each o.networks as n (n.id)}<li class="border-hair2 border-b py-1">
								{n.id} <span class="text-ink3">{n.range}, {n.free} free</span>
							</li>{/each}
						{#each o.gateways ?? [] as g (g.id)}<li class="border-hair2 border-b py-1">
								{g.id} <span class="text-ink3">gateway at {g.address}</span>
							</li>{/each}
						{#each o.links as l (l.to)}<li class="border-hair2 border-b py-1">
								link to {l.to} <span class="text-ink3">{l.mbit} Mbit/s, {l.latency_ms} ms, as measured</span>
							</li>{/each}
					</ul>
				{:else}<p class="text-ink3">Hosts, volumes and networks show here once the provider takes an account.</p>{/if}
			</aside>
		</div>
	</div>
</div>
