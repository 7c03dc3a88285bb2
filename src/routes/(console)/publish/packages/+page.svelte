<script lang="ts">
	import { untrack } from 'svelte';
	import { page } from '$app/state';
	import { clashWords } from '$lib/core/packages/clashes';
	import { systemWords } from '$lib/core/packages/fits';
	import { durationWords, numberWords, sizeWords } from '$lib/core/time/units';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import { draftFrom } from '$lib/ui/plan/draft';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';
	import BringForm from './BringForm.svelte';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const names = $derived(data.packages.map((p) => p.name));
	const pairOf = (a: string, b: string) =>
		data.clashes.find((c) => (c.a === a && c.b === b) || (c.a === b && c.b === a));
	const clashesOf = (name: string) =>
		data.clashes.filter((c) => c.a === name || c.b === name).reduce((n, c) => n + c.total, 0);
	/** The pair whose clashes are listed. */
	let pair = $state('');
	const shown = $derived(data.clashes.find((c) => `${c.a} ${c.b}` === pair) ?? null);

	/** A line to capture on: of the installer's system, without the app, with as few other programs as can be. */
	function cleanest(installer: string): string {
		const offer = data.installers.find((i) => i.id === installer);
		const odd = (l: (typeof data.lines)[number]) =>
			(offer && !l.system.startsWith(offer.system.name) ? 1000 : 0) +
			(offer && l.holds.includes(offer.name) ? 100 : 0) +
			l.holds.length;
		return [...data.lines].sort((a, b) => odd(a) - odd(b))[0]?.id ?? '';
	}
	/** What is set in the app beside its installer, a line each; `odd`: the first line that is written otherwise. */
	function settingsIn(text: string) {
		const settings: { setting: string; name: string; value: string }[] = [];
		for (const line of text.split('\n').map((l) => l.trim())) {
			if (!line) continue;
			const cut = line.indexOf('=');
			const slash = line.lastIndexOf('/', cut);
			if (cut < 1 || slash < 1) return { settings, odd: line };
			settings.push({
				setting: line.slice(0, slash).trim(),
				name: line.slice(slash + 1, cut).trim(),
				value: line.slice(cut + 1).trim()
			});
		}
		return { settings, odd: null };
	}
	const form = new PlanForm({
		kind: 'package.capture',
		start: untrack(() => ({
			name: '',
			installer: data.installers[0]?.id ?? '',
			line: cleanest(data.installers[0]?.id ?? ''),
			number: '',
			idle: true,
			settings: ''
		})),
		input: (x) => {
			const offer = data.installers.find((i) => i.id === x.installer);
			return {
				name: x.name.trim() || (offer ? `${offer.name} ${offer.version}` : ''),
				line: x.line,
				...(x.number ? { number: x.number } : {}),
				installer: x.installer,
				idle: x.idle,
				settings: settingsIn(x.settings).settings
			};
		},
		wrong: (x) => {
			const { odd } = settingsIn(x.settings);
			return odd === null ? {} : { settings: `“${odd}” is not written as Machine/Software/App/Name = value.` };
		}
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const versions = $derived(data.lines.find((l) => l.id === f.line)?.versions ?? []);

	let uploading = $state('');
	let uploadProblem = $state('');
	async function upload(e: Event) {
		const input = e.currentTarget as HTMLInputElement;
		const file = input.files?.[0];
		if (!file) return;
		uploadProblem = '';
		uploading = `${file.name} is being taken up and checked …`;
		const response = await fetch('/api/v1/packages', {
			method: 'POST',
			// Without a type the server would take it that there is no body.
			headers: { 'content-type': 'application/octet-stream' },
			body: file
		});
		const answer = (await response.json()) as { manifest?: string; detail?: string };
		uploading = '';
		input.value = '';
		if (!answer.manifest) {
			uploadProblem = answer.detail ?? 'It could not be taken up.';
			return;
		}
		const wrong = await draftFrom('package.import', { manifest: answer.manifest });
		uploadProblem = Object.values(wrong)[0] ?? '';
	}
	const moved = (name: string, by: number) => {
		const order = [...names];
		const i = order.indexOf(name);
		[order[i], order[i + by]] = [order[i + by]!, order[i]!];
		return order;
	};
	const stateWords = (c: (typeof data.captures)[number]) =>
		c.state === 'taking'
			? c.job === 'failed'
				? 'failed'
				: 'being taken'
			: c.state === 'packaged'
				? `${c.outcome}`
				: c.state;
</script>

<svelte:head><title>Packages · Sextant</title></svelte:head>
<h1 class="sr-only">Packages</h1>
<div class="px-[18px] py-3">
	<PublishNav />
	{#if data.look.future}<p class="text-ink2 mb-2 text-[13px]">Packages have no forecast: this is the present.</p>{/if}
	<LeftOut left={data.left} of="packages and captures" />
	<div class="flex items-baseline gap-3">
		<h2 class="head">Packages <small>apps made portable; where two clash, the one that stands first wins</small></h2>
		{#if may('package.import')}
			<label class="btn ml-auto cursor-pointer"
				>Take one in from a file<input
					type="file"
					accept=".tar"
					class="sr-only"
					aria-label="Package file to take in"
					onchange={upload}
				/></label
			>
		{/if}
	</div>
	{#if uploading}<p class="text-ink2 mt-1 text-[13px]" role="status">{uploading}</p>{/if}
	{#if uploadProblem}<p class="text-buoy mt-1 text-[13px]" role="alert">{uploadProblem}</p>{/if}
	{#if data.packages.length}
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>package</th><th>newest</th><th>captured on</th><th>starts</th><th class="num">files</th><th class="num"
						>packed</th
					><th class="num">clashes</th><th><span class="sr-only">order</span></th></tr
				></thead
			>
			<tbody>
				{#each data.packages as p, i (p.name)}
					{@const v = p.versions.at(-1)!}
					<tr>
						<td
							><a class="link" data-row href={addressWith(page.url, { card: `package/${p.name}` })}>{p.name}</a>{p
								.versions.length > 1
								? ` · ${p.versions.length} versions`
								: ''}</td
						>
						<td>{v.number}</td>
						<td class="text-ink2"
							>{systemWords(v.spec.system)}{v.spec.vouched.length ? `, ${v.spec.vouched.length} more` : ''}</td
						>
						<td class="text-ink2">{v.spec.targets.map((t) => t.name).join(', ') || 'nothing'}</td>
						<td class="num">{numberWords(v.files)}</td>
						<td class="num">{sizeWords(v.size)}</td>
						<td class="num">{clashesOf(p.name) || '–'}</td>
						<td class="num"
							>{#if may('package.order') && data.packages.length > 1}<span class="inline-flex gap-1"
									>{#if i > 0}<PlanButton
											kind="package.order"
											input={{ order: moved(p.name, -1) }}
											words="↑"
											label="{p.name} earlier"
											small
										/>{/if}{#if i < data.packages.length - 1}<PlanButton
											kind="package.order"
											input={{ order: moved(p.name, 1) }}
											words="↓"
											label="{p.name} later"
											small
										/>{/if}</span
								>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}
		<p class="text-ink2 mt-1 text-[13.5px]">
			There is no package yet. Capture an app below: what its installer changes becomes a package that can be attached
			to machines without rebuilding them.
		</p>
	{/if}

	{#if data.packages.length > 1}
		<h2 class="head mt-5">
			Clashes <small
				>packages against packages: the same path, setting, file type, service or port with other content</small
			>
		</h2>
		{#if data.clashes.length}
			<div class="overflow-x-auto">
				<table class="grid-table mt-1 w-auto">
					<thead
						><tr
							><th><span class="sr-only">package</span></th>{#each names as n (n)}<th class="num">{n}</th>{/each}</tr
						></thead
					>
					<tbody>
						{#each names as a (a)}
							<tr>
								<th class="text-left font-semibold" scope="row">{a}</th>
								{#each names as b (b)}
									{@const c = a === b ? undefined : pairOf(a, b)}
									<td class="num"
										>{#if c}<button
												class={names.indexOf(a) < names.indexOf(b) ? 'link' : 'text-sand underline'}
												aria-label="{a} and {b}: {clashWords(c.counts)}"
												aria-pressed={pair === `${c.a} ${c.b}`}
												onclick={() => (pair = pair === `${c.a} ${c.b}` ? '' : `${c.a} ${c.b}`)}
												>{c.total}{names.indexOf(a) < names.indexOf(b) ? ' won' : ' lost'}</button
											>{:else}<span class="text-ink3">{a === b ? '' : '–'}</span>{/if}</td
									>
								{/each}
							</tr>
						{/each}
					</tbody>
				</table>
			</div>
			{#if shown}
				<ul class="mt-2 text-[13px]" aria-label="Clashes of {shown.a} and {shown.b}">
					{#each shown.clashes.slice(0, 40) as c (c.kind + c.what)}
						<li class="border-hair2 flex gap-3 border-b py-1">
							<span class="text-ink3 w-[70px]">{c.kind}</span><span class="flex-1 break-all">{c.what}</span><span
								>{c.wins} wins</span
							>
						</li>
					{/each}
				</ul>
				{#if shown.total > 40}<p class="text-ink3 text-[12.5px]">and {shown.total - 40} more</p>{/if}
			{/if}
		{:else}<p class="text-kelp mt-1 text-[13.5px]">None of them clash.</p>{/if}
	{/if}

	<h2 class="head mt-5">Captures <small>two inventories, and what lies between them</small></h2>
	{#if data.captures.length}
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>capture</th><th>on</th><th>by</th><th class="num">app</th><th class="num">noise</th><th class="num"
						>doubtful</th
					><th>state</th><th><span class="sr-only">actions</span></th></tr
				></thead
			>
			<tbody>
				{#each data.captures as c (c.id)}
					<tr>
						<td
							>{#if c.summary && c.state !== 'thrown away'}<a
									class="link"
									data-row
									href={addressWith(page.url, { card: null }, `/publish/packages/${c.id}`)}>{c.name}</a
								>{:else}{c.name}{/if}</td
						>
						<td class="text-ink2"
							>{c.line ? `${c.line} ${c.number}` : c.system ? systemWords(c.system) : 'inventories brought'}</td
						>
						<td class="text-ink2">{c.by}, {durationWords(data.look.known - c.since)} ago</td>
						<td class="num">{c.summary ? numberWords(c.summary.sorts.app.changes) : ''}</td>
						<td class="num">{c.summary ? numberWords(c.summary.sorts.noise.changes) : ''}</td>
						<td class="num">{c.summary ? numberWords(c.summary.sorts.doubtful.changes) : ''}</td>
						<td
							>{#if c.jobId && c.state === 'taking'}<a class="link" href="/jobs/{c.jobId}">{stateWords(c)}</a
								>{:else}{stateWords(c)}{/if}</td
						>
						<td class="num"
							>{#if may('capture.discard') && c.state !== 'thrown away'}<PlanButton
									kind="capture.discard"
									input={{ capture: c.id }}
									words="Throw away"
									small
									label="Throw {c.name} away"
								/>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}<p class="text-ink2 mt-1 text-[13.5px]">Nothing has been captured yet.</p>{/if}

	{#if may('package.capture') && data.installers.length}
		<h2 class="head mt-5">
			Capture an app <small>on a machine made for it; it is thrown away afterwards</small>
		</h2>
		<form class="mt-2 grid max-w-[1000px] grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
			<Field label="Installer" problem={errors.installer}
				>{#snippet children(p)}<select
						{...p}
						class="field"
						bind:value={f.installer}
						onchange={() => ((f.line = cleanest(f.installer)), (f.number = ''))}
						>{#each data.installers as i (i.id)}<option value={i.id}>{i.name} {i.version}</option>{/each}</select
					>{/snippet}</Field
			>
			<Field label="On a machine of" problem={errors.line}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.line} onchange={() => (f.number = '')}
						>{#each data.lines as l (l.id)}<option value={l.id}>{l.id}, {l.system}</option>{/each}</select
					>{/snippet}</Field
			>
			<Field label="Version" problem={errors.number}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.number}
						><option value="">the newest released</option>{#each versions.toReversed() as v (v)}<option>{v}</option
							>{/each}</select
					>{/snippet}</Field
			>
			<TextField label="Name" problem={errors.name} bind:value={f.name} placeholder="of the app" />
			<div class="col-span-3">
				<Field label="Set in the app" hint="a line each: Machine/Software/App/Name = value" problem={errors.settings}
					>{#snippet children(p)}<textarea {...p} class="field h-14" bind:value={f.settings}
						></textarea>{/snippet}</Field
				>
			</div>
			<label class="flex items-center gap-1.5 text-[13px]"
				><input type="checkbox" bind:checked={f.idle} /> learn noise first, from the idle machine</label
			>
			<div class="col-span-full"><FormEnd {form} words="Plan the capture" /></div>
		</form>
	{/if}
	{#if data.look.live && data.mayDraft.includes('package.make')}
		<h2 class="head mt-5">
			Bring inventories of your own <small
				><code>npm run sextant -- inventory</code> before and after you run your installer</small
			>
		</h2>
		<BringForm />
	{/if}
</div>
