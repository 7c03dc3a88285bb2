<script lang="ts">
	import { enhance } from '$app/forms';
	import { speakerOf } from '$lib/core/portal/say';
	import GiveFactor from '$lib/ui/portal/GiveFactor.svelte';
	import PortalHead from '$lib/ui/portal/PortalHead.svelte';
	import PublicationIcon from '$lib/ui/publish/PublicationIcon.svelte';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));

	function stateOf(p: (typeof data.shelf)[number]): string {
		if (p.off) return say('shelf.off');
		if (p.wantsFactor) return say('shelf.asks-factor');
		if (!p.allowed) return say('shelf.not-now');
		if (p.session?.state === 'active') return say(p.session.here ? 'shelf.is-open' : 'shelf.elsewhere');
		if (p.session) return say('shelf.waits');
		return p.usual
			? say('shelf.usually', { span: say.span(Math.max(1000, Math.round(p.usual / 1000) * 1000)) })
			: say('shelf.ready');
	}
	/** Groups in the order in which their first one stands; those without a group come first. */
	const groups = $derived(
		[...new Set(data.shelf.map((p) => p.look.group))]
			.sort((a, b) => Number(a !== '') - Number(b !== ''))
			.map((group) => ({ group, items: data.shelf.filter((p) => p.look.group === group) }))
	);
	const refused = (id: string) =>
		form && 'refused' in form && 'publication' in form && form.publication === id ? String(form.refused) : '';
	/** What is wrong with what was given at a tile: with a code, a passkey, or with opening it. */
	const problemAt = (id: string, given: '' | 'code' | 'answer') =>
		form && 'at' in form && form.at === id && (form.given ?? '') === given ? form.problem : undefined;
	const refusedAnswer = (id: number) =>
		form && 'refused' in form && 'request' in form && form.request === id ? String(form.refused) : '';
</script>

<svelte:head><title>{say('shelf.title')} · Sextant</title></svelte:head>
<main class="mx-auto max-w-[860px] px-5 py-5">
	<PortalHead {say} here="shelf" />
	<h1 class="mt-5 text-[22px]">{say('shelf.hello', { name: data.name.split(' ')[0]! })}</h1>
	<p class="text-ink2 mt-1 text-[15px]">{say(data.shelf.length ? 'shelf.what' : 'shelf.empty')}</p>
	{#if data.notOwn}<p class="bg-sandwash text-sand mt-2 rounded-md px-3 py-2 text-[14px]">
			{say('sign-in.not-own')}
		</p>{/if}
	{#if form && 'done' in form}<p class="text-kelp mt-2 text-[14px]" role="status">{form.done}</p>{/if}
	{#each groups as g (g.group)}
		{#if g.group}<h2 class="mt-6 text-[16px]">{g.group}</h2>{/if}
		<ul class="mt-5 grid gap-4 sm:grid-cols-2">
			{#each g.items as p (p.id)}
				<li class="border-hair bg-sheet rounded-xl border p-5">
					<div class="flex items-center gap-4">
						<span class="bg-seawash text-sea grid h-12 w-12 shrink-0 place-items-center rounded-lg"
							><PublicationIcon icon={p.icon} size={p.icon.startsWith('icon:') ? 40 : 26} /></span
						>
						<div>
							<h2 class="text-[17px]">{p.name}</h2>
							<p class="text-ink2 text-[14px]">
								{stateOf(p)}{#if p.news}<span class="pill pill-sea ml-2"
										>{p.news.version === null
											? say('shelf.new')
											: say('shelf.now-version', { version: p.news.version })}</span
									>{/if}
							</p>
						</div>
					</div>
					{#if p.description}<p class="text-ink2 mt-2 text-[14px]">{p.description}</p>{/if}
					{#if p.allowed}
						<form method="POST" action="?/open" class="mt-4 flex gap-2">
							<input type="hidden" name="publication" value={p.id} /><button
								class="btn btn-go w-full justify-center py-2 text-[15px]"
								formtarget={p.app && p.look.window === 'window' ? `app-${p.id}` : undefined}
								>{say(
									!p.session
										? 'shelf.open'
										: p.session.state === 'active' && !p.session.here
											? 'shelf.bring'
											: 'shelf.back'
								)}<span class="sr-only">{p.name}</span></button
							>
							{#if p.another}<button class="btn whitespace-nowrap" name="another" value="yes"
									>{say('shelf.another')}<span class="sr-only">{say('shelf.for', { name: p.name })}</span></button
								>{/if}
						</form>
					{:else if p.wantsFactor}
						<GiveFactor {say} publication={p} factor={data.factor} problemAt={(given) => problemAt(p.id, given)} />
					{:else}
						<p class="bg-sandwash text-sand mt-3 rounded-md px-3 py-2 text-[14px]">
							{p.lack ? say.lack(p.lack) : p.advice}
						</p>
					{/if}
					{#if problemAt(p.id, '')}<p class="text-buoy mt-2 text-[13px]" role="alert">{problemAt(p.id, '')}</p>{/if}
					{#if p.standing === 'fetched'}
						<form method="POST" action="?/put" use:enhance class="mt-2">
							<input type="hidden" name="publication" value={p.id} /><button class="btn btn-plain text-[13px]"
								>{say('shelf.put-back')}<span class="sr-only">: {p.name}</span></button
							>
							{#if refused(p.id)}<p class="text-buoy text-[13px]" role="alert">{refused(p.id)}</p>{/if}
						</form>
					{/if}
				</li>
			{/each}
		</ul>
	{/each}
	{#if data.more.length}
		<section class="mt-8" aria-labelledby="more-head">
			<h2 class="text-[16px]" id="more-head">{say('shelf.can-add')}</h2>
			<ul class="mt-3 grid gap-3 sm:grid-cols-2">
				{#each data.more as p (p.id)}
					<li class="border-hair rounded-xl border border-dashed p-4">
						<div class="flex items-center gap-3">
							<span class="text-sea"><PublicationIcon icon={p.icon} size={28} /></span>
							<div class="flex-1">
								<h3 class="text-[16px]">{p.name}</h3>
								{#if p.description}<p class="text-ink2 text-[14px]">{p.description}</p>{/if}
							</div>
							<form method="POST" action="?/fetch" use:enhance>
								<input type="hidden" name="publication" value={p.id} /><button class="btn"
									>{say('shelf.add')}<span class="sr-only">{p.name}</span></button
								>
							</form>
						</div>
						{#if refused(p.id)}<p class="text-buoy mt-1 text-[13px]" role="alert">{refused(p.id)}</p>{/if}
					</li>
				{/each}
			</ul>
		</section>
	{/if}
	{#if data.askable.length}
		<section class="mt-8" aria-labelledby="ask-head">
			<h2 class="text-[16px]" id="ask-head">{say('shelf.can-ask')}</h2>
			<ul class="mt-3 grid gap-3">
				{#each data.askable as p (p.id)}
					<li class="border-hair rounded-xl border border-dashed p-4">
						<div class="flex items-start gap-3">
							<span class="text-ink3"><PublicationIcon icon={p.icon} size={28} /></span>
							<div class="flex-1">
								<h3 class="text-[16px]">{p.name}</h3>
								{#if p.description}<p class="text-ink2 text-[14px]">{p.description}</p>{/if}
								{#if p.asked?.answer === null}
									<p class="text-ink2 text-[14px]">{say('shelf.asked')}</p>
								{:else}
									{#if p.asked?.answer === 'declined'}<p class="text-sand text-[14px]">
											{say('shelf.declined', { words: p.asked.words })}
										</p>{/if}
									<form method="POST" action="?/ask" use:enhance class="mt-2 flex flex-wrap items-end gap-2">
										<input type="hidden" name="publication" value={p.id} />
										<label class="text-ink2 flex-1 text-[13px]"
											>{say('shelf.what-for', { name: p.name })}<input
												class="field"
												name="why"
												aria-invalid={refused(p.id) !== ''}
											/></label
										>
										<button class="btn"
											>{say('shelf.ask')}<span class="sr-only">{say('shelf.for', { name: p.name })}</span></button
										>
									</form>
									{#if refused(p.id)}<p class="text-buoy text-[13px]" role="alert">{refused(p.id)}</p>{/if}
								{/if}
							</div>
						</div>
					</li>
				{/each}
			</ul>
		</section>
	{/if}
	{#if data.toAnswer.length}
		<section class="mt-8" aria-labelledby="answer-head">
			<h2 class="text-[16px]" id="answer-head">{say('shelf.waiting')}</h2>
			<ul class="mt-3 grid gap-3">
				{#each data.toAnswer as r (r.id)}
					<li class="border-hair bg-sheet rounded-xl border p-4 text-[14px]">
						<p>{say('shelf.request', { person: r.person, team: r.team, name: r.name, why: r.why })}</p>
						<form method="POST" action="?/answer" use:enhance class="mt-2 flex flex-wrap items-end gap-2">
							<input type="hidden" name="request" value={r.id} />
							<label class="text-ink2 flex-1 text-[13px]"
								>{say('shelf.your-words')}<input
									class="field"
									name="words"
									aria-invalid={refusedAnswer(r.id) !== ''}
								/></label
							>
							<button class="btn btn-go" name="approve" value="yes"
								>{say('shelf.approve')}<span class="sr-only">{say('shelf.request-of', { person: r.person })}</span
								></button
							>
							<button class="btn" name="approve" value="no"
								>{say('shelf.decline')}<span class="sr-only">{say('shelf.request-of', { person: r.person })}</span
								></button
							>
						</form>
						{#if refusedAnswer(r.id)}<p class="text-buoy text-[13px]" role="alert">{refusedAnswer(r.id)}</p>{/if}
					</li>
				{/each}
			</ul>
		</section>
	{/if}
</main>
