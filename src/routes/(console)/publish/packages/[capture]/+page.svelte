<script lang="ts">
	import { untrack } from 'svelte';
	import { invalidate } from '$app/navigation';
	import { systemWords } from '$lib/core/packages/fits';
	import {
		USUAL_WRITES,
		WRITE_SCOPES,
		WRITE_SCOPE_WORDS,
		whereWrites,
		type WriteScope
	} from '$lib/core/packages/scope';
	import { numberWords, sizeWords } from '$lib/core/time/units';
	import type { Choice } from '$lib/core/packages/tree';
	import Field from '$lib/ui/forms/Field.svelte';
	import ManyField from '$lib/ui/forms/ManyField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { call } from '$lib/ui/plan/api';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import ChangeTree, { type TreeBranch } from '$lib/ui/publish/ChangeTree.svelte';
	import PublishNav from '$lib/ui/publish/PublishNav.svelte';
	import Why from '$lib/ui/why/Why.svelte';

	let { data } = $props();
	const c = $derived(data.capture);
	const result = $derived(c.result);
	const may = $derived(data.mayDraft.includes('package.make') && data.look.live && result !== null);

	let sort: '' | 'app' | 'noise' | 'doubtful' = $state('');
	let text = $state('');
	let turn = $state(0);
	let found: TreeBranch[] | null = $state(null);
	let problem = $state('');
	const path = $derived(`/captures/${c.id}`);
	const childrenOf = $derived.by(() => {
		const [at, only] = [path, sort];
		return async (branch: string): Promise<TreeBranch[]> => {
			const query = new URLSearchParams({ path: branch, ...(only ? { sort: only } : {}) });
			const answer = await call<{ rows: TreeBranch[] }>('GET', `${at}/changes?${query}`);
			return answer.ok ? answer.value.rows : [];
		};
	});
	async function search() {
		if (text.trim() === '') {
			found = null;
			return;
		}
		const answer = await call<{ rows: TreeBranch[] }>('GET', `${path}/changes?${new URLSearchParams({ q: text })}`);
		found = answer.ok ? answer.value.rows : [];
	}
	async function choose(choices: Choice[]) {
		const answer = await call('POST', `${path}/choices`, { choices });
		problem = answer.ok ? '' : answer.refusal.detail;
		await invalidate('sextant:capture');
		turn++;
		await search();
	}
	const take = (branch: string, yes: boolean) => choose([...c.choices, { branch, take: yes }]);
	let pattern = $state('');
	async function byPattern(yes: boolean) {
		if (pattern.trim() === '') return;
		await choose([...c.choices, { pattern: pattern.trim(), take: yes }]);
		pattern = '';
	}
	const choiceWords = (x: Choice) =>
		`${x.take ? 'take' : 'leave'} ${'branch' in x ? x.branch || 'everything' : x.pattern}`;

	/** Write rules and who may start it, as the version before has them. */
	function givenBefore() {
		const { writes, teams, refusal } = data.newest ?? { writes: USUAL_WRITES, teams: [], refusal: '' };
		return {
			writes: writes.usual,
			lives: writes.overlay.lives,
			outlasts: writes.overlay.outlasts,
			branches: writes.branches.map((b) => `${b.branch} = ${b.scope}`).join('\n'),
			teams: [...teams],
			refusal
		};
	}
	/** Decisions of the version before that have not been made here. */
	const before = $derived(
		data.earlier?.choices.filter((x) => !c.choices.some((y) => choiceWords(y) === choiceWords(x))) ?? []
	);

	let starts: Record<string, boolean> = $state({});
	const isChosen = (id: string, fine: boolean) => starts[id] ?? fine;
	/** Branches with a scope of their own, one a line: `C:/Surveys = anywhere`. */
	const branchesIn = (text: string) =>
		text
			.split('\n')
			.map((l) => l.trim())
			.filter(Boolean)
			.map((l) => {
				const cut = l.lastIndexOf('=');
				return { branch: l.slice(0, cut < 0 ? l.length : cut).trim(), scope: l.slice(cut + 1).trim() as WriteScope };
			});
	const writesOf = (x: Pick<ReturnType<typeof givenBefore>, 'writes' | 'lives' | 'outlasts' | 'branches'>) => ({
		usual: x.writes,
		branches: branchesIn(x.branches).filter((b) => WRITE_SCOPES.includes(b.scope)),
		overlay: { lives: x.lives, outlasts: x.outlasts }
	});
	const form = new PlanForm({
		kind: 'package.make',
		start: untrack(() => ({ name: data.proposed, number: '', note: '', ...givenBefore() })),
		input: (x) => ({
			capture: c.id,
			name: x.name.trim(),
			...(x.number.trim() ? { number: x.number.trim() } : {}),
			note: x.note,
			targets: (result?.targets ?? [])
				.filter((t) => isChosen(t.best.id, t.problems.length === 0))
				.map((t) => t.best.id),
			writes: writesOf(x),
			teams: x.teams,
			refusal: x.refusal
		}),
		wrong: (x) => {
			const odd = branchesIn(x.branches).find((b) => !WRITE_SCOPES.includes(b.scope));
			return odd
				? { branches: `“${odd.branch}” needs a scope: ${WRITE_SCOPES.join(', ')}, as in C:/Surveys = anywhere.` }
				: {};
		},
		beside: (path) => (path.startsWith('writes.branches') ? 'branches' : path)
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const writes = $derived(writesOf(f));
	let tested = $state('');
	const landing = $derived(tested.trim() ? whereWrites(tested, writes, c.system) : null);
</script>

<svelte:head><title>Capture {c.name} · Sextant</title></svelte:head>
<div class="px-[18px] py-3">
	<PublishNav />
	<h1 class="head text-[15px]">
		Capture of {c.name}
		<small
			>{c.line ? `${c.line} ${c.number}, ` : ''}{c.system
				? systemWords(c.system)
				: 'of no system that it says'}{c.summary
				? `; ${numberWords(c.summary.entries.after)} entries compared with ${numberWords(c.summary.entries.before)}`
				: ''}</small
		>
	</h1>
	{#if !c.summary || !result}
		<p class="text-ink2 mt-2 text-[13.5px]">
			{#if c.state === 'thrown away'}It has been thrown away.{:else}Its inventories have not been compared yet.{/if}
			{#if c.jobId}<a class="link" href="/jobs/{c.jobId}">Its job</a>{/if}
		</p>
	{:else}
		{#each c.notes as n (n)}<p class="bg-sandwash text-sand mt-2 rounded px-3 py-1.5 text-[13px]">{n}</p>{/each}
		<div class="mt-2 flex flex-wrap items-center gap-x-4 gap-y-2 text-[13px]">
			<div class="flex gap-1" role="group" aria-label="Which changes are shown">
				{#each [{ id: '', words: `all ${numberWords(c.summary.changes)}` }, ...(['app', 'noise', 'doubtful'] as const).map( (s) => ({ id: s, words: `${s} ${numberWords(c.summary!.sorts[s].changes)}` }) )] as s (s.id)}
					<button
						class={['btn', sort === s.id && 'bg-seawash']}
						aria-pressed={sort === s.id}
						onclick={() => (sort = s.id as typeof sort)}>{s.words}</button
					>
				{/each}
			</div>
			<span class="text-ink2"
				>{numberWords(result.root.taken)} taken, {sizeWords(result.root.takenBytes)}{result.undecided
					? `; ${result.undecided} doubtful not decided about`
					: ''}</span
			>
			<label class="ml-auto flex items-center gap-2"
				><span class="sr-only">Find in the changes</span><input
					class="field w-[200px]"
					placeholder="find a path"
					bind:value={text}
					oninput={search}
				/></label
			>
		</div>
		<div class="mt-2 grid grid-cols-[1fr_340px] gap-4">
			<div>
				{#if found}
					<ul
						class="border-hair bg-sheet h-[clamp(170px,calc(100vh-640px),430px)] overflow-auto rounded border text-[13px]"
						aria-label="Found"
					>
						{#each found as b (b.path)}
							<li class="border-hair2 flex items-center gap-2 border-b px-2 py-1">
								<input
									type="checkbox"
									aria-label="Take {b.path}"
									disabled={!may}
									checked={b.taken === b.changes}
									onclick={() => take(b.path, b.taken < b.changes)}
								/><span class="break-all">{b.path}</span><span class="text-ink3 ml-auto text-right text-[12.5px]"
									>{b.sort}: {b.why}</span
								>
							</li>
						{:else}<li class="text-ink2 px-2 py-2">No path holds that.</li>{/each}
					</ul>
				{:else}
					<ChangeTree children={childrenOf} {take} {turn} canTake={may} label="Changes" />
				{/if}
				{#if may}
					<form
						class="mt-2 flex items-center gap-2 text-[13px]"
						onsubmit={(e) => {
							e.preventDefault();
							void byPattern(true);
						}}
					>
						<label class="flex items-center gap-2"
							>By pattern <input class="field w-[220px]" placeholder="**/*.log" bind:value={pattern} /></label
						><button class="btn">Take</button><button type="button" class="btn" onclick={() => byPattern(false)}
							>Leave</button
						>
						<span class="text-ink3">arrows move and open, space takes or leaves</span>
					</form>
				{/if}
				{#if may && before.length}
					<p class="text-ink2 mt-2 text-[13px]">
						For {data.earlier!.of} it was decided to {before.map(choiceWords).slice(0, 3).join(', ')}{before.length > 3
							? ` and ${before.length - 3} more`
							: ''}.
						<button type="button" class="btn ml-1" onclick={() => choose([...before, ...c.choices])}
							>Decide alike</button
						>
					</p>
				{/if}
				{#if problem}<p class="text-buoy text-[13px]" role="alert">{problem}</p>{/if}
				{#if c.choices.length}
					<ul class="mt-2 flex flex-wrap gap-1.5 text-[12.5px]" aria-label="What was decided">
						{#each c.choices as x, i (choiceWords(x))}
							<li class="border-hair bg-sheet flex items-center gap-1 rounded border px-2 py-0.5">
								{choiceWords(x)}{#if may}<button
										class="text-sea"
										aria-label="Undo: {choiceWords(x)}"
										onclick={() => choose(c.choices.filter((_x, j) => j !== i))}>×</button
									>{/if}
							</li>
						{/each}
					</ul>
				{/if}
			</div>
			<div class="text-[13px]">
				<h2 class="head">It can start</h2>
				{#if result.missing}<p class="text-sand text-[12.5px]">
						{numberWords(result.missing)} files that are taken have no content here: leave them out, or bring the folder.
					</p>{/if}
				<ul class="mt-1">
					{#each result.targets as t (t.best.id)}
						<li class="border-hair2 border-b py-1.5">
							<label class="flex items-start gap-2"
								><input
									type="checkbox"
									class="mt-[3px]"
									disabled={!may}
									checked={isChosen(t.best.id, t.problems.length === 0)}
									onchange={(e) => (starts[t.best.id] = e.currentTarget.checked)}
								/><span
									><b class="font-semibold">{t.best.name}</b>{t.best.opens.length
										? ` opens ${t.best.opens.join(', ')}`
										: ''}{t.best.terminal ? ' in a terminal' : ''}<span class="text-ink3 block text-[12px] break-all"
										>{t.best.command} {t.best.arguments}</span
									></span
								></label
							>
							{#each t.problems as p (p.words)}<p class="text-sand pl-6 text-[12.5px]">{p.words}</p>{/each}
							{#if t.others.length}<details class="pl-6 text-[12.5px]">
									<summary class="text-sea cursor-pointer">{t.others.length} more start the same</summary>
									<Why facts={t.facts} />
								</details>{/if}
						</li>
					{:else}<li class="text-ink2">Nothing that is taken can be started.</li>{/each}
				</ul>
				{#if c.summary.folders.length}
					<h2 class="head mt-3">Its own folders</h2>
					<ul class="text-ink2 mt-1 text-[12.5px]">
						{#each c.summary.folders.slice(0, 5) as p (p)}<li class="break-words">{p}</li>{/each}
					</ul>
				{/if}
			</div>
		</div>
		{#if may}
			<h2 class="head mt-4">Make a package of it</h2>
			<form class="mt-1.5 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
				<TextField label="Package" problem={errors.name} bind:value={f.name} />
				<TextField
					label="Version"
					hint={data.newest ? `newest is ${data.newest.number}` : 'the first'}
					problem={errors.number}
					bind:value={f.number}
					placeholder="proposed"
				/>
				<div class="col-span-2"><TextField label="Note" problem={errors.note} bind:value={f.note} /></div>
				<Field label="It may write to" problem={errors['writes.usual']}
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.writes}
							>{#each WRITE_SCOPES as s (s)}<option value={s}>{WRITE_SCOPE_WORDS[s]}</option>{/each}</select
						>{/snippet}</Field
				>
				<Field label="Its overlay lies"
					>{#snippet children(p)}<select {...p} class="field" bind:value={f.lives}
							><option value="profile disk">on the profile disk</option><option value="machine">on the machine</option
							></select
						>{/snippet}</Field
				>
				<ManyField
					label="For the people of"
					none="whoever it is granted to"
					options={data.teams}
					problem={errors.teams}
					bind:value={f.teams}
				/>
				<TextField
					label="Who may not is told"
					problem={errors.refusal}
					bind:value={f.refusal}
					placeholder="Ask the helpdesk for it."
				/>
				<div class="col-span-2">
					<Field label="Other branches" hint="one a line, such as C:/Surveys = anywhere" problem={errors.branches}
						>{#snippet children(p)}<textarea {...p} class="field" rows="2" bind:value={f.branches}
							></textarea>{/snippet}</Field
					>
				</div>
				<div class="col-span-2">
					<TextField
						label="Where would it write"
						hint="try a path"
						bind:value={tested}
						placeholder="C:/Users/name/log.txt"
					/>
					{#if landing}<p class="text-ink2 text-[12.5px]" aria-live="polite">
							{landing.value.to === 'refused' ? 'refused' : landing.value.path}: {landing.facts
								.map((x) => x.words)
								.join('; ')}
						</p>{/if}
				</div>
				<label class="flex items-center gap-1.5"
					><input type="checkbox" bind:checked={f.outlasts} /> its overlay is there again next time</label
				>
				<div class="col-span-4"><FormEnd {form} words="Plan the package" /></div>
				{#if errors.capture ?? errors.targets}<p class="text-buoy col-span-4 text-[12.5px]" role="alert">
						{errors.capture ?? errors.targets}
					</p>{/if}
			</form>
		{/if}
	{/if}
</div>
