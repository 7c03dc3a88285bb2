<script lang="ts">
	import { enhance } from '$app/forms';
	import { durationWords } from '$lib/core/time/units';
	import PasswordForm from '$lib/ui/forms/PasswordForm.svelte';
	import CodeField from '$lib/ui/forms/CodeField.svelte';
	import PublicationIcon from '$lib/ui/publish/PublicationIcon.svelte';

	let { data, form } = $props();

	function stateOf(p: (typeof data.shelf)[number]): string {
		if (p.off) return 'Switched off for now';
		if (p.wantsFactor) return 'Asks for your second factor';
		if (!p.allowed) return 'Not right now';
		if (p.session) return p.session.state === 'active' ? 'Open right now' : 'Waiting where you left it';
		return p.usual
			? `Usually opens in ${durationWords(Math.max(1000, Math.round(p.usual / 1000) * 1000))}`
			: 'Ready to open';
	}
	/** Groups in the order in which their first one stands; those without a group come first. */
	const groups = $derived(
		[...new Set(data.shelf.map((p) => p.look.group))]
			.sort((a, b) => Number(a !== '') - Number(b !== ''))
			.map((group) => ({ group, items: data.shelf.filter((p) => p.look.group === group) }))
	);
	const refused = (id: string) =>
		form && 'refused' in form && 'publication' in form && form.publication === id ? String(form.refused) : '';
	const refusedAnswer = (id: number) =>
		form && 'refused' in form && 'request' in form && form.request === id ? String(form.refused) : '';
</script>

<svelte:head><title>My shelf · Sextant</title></svelte:head>
<main class="mx-auto max-w-[860px] px-5 py-6">
	<div class="flex items-baseline gap-3">
		<h1 class="text-[22px]">Hello, {data.name.split(' ')[0]}</h1>
		<form method="POST" action="?/leave" class="ml-auto"><button class="btn">Sign out</button></form>
	</div>
	<p class="text-ink2 mt-1 text-[15px]">
		{data.shelf.length
			? 'What would you like to open?'
			: 'Nothing has been granted to you yet. Ask the helpdesk for what you need.'}
	</p>
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
								{stateOf(p)}{#if p.news}<span class="pill pill-sea ml-2">{p.news.words}</span>{/if}
							</p>
						</div>
					</div>
					{#if p.description}<p class="text-ink2 mt-2 text-[14px]">{p.description}</p>{/if}
					{#if p.allowed}
						<form method="POST" action="?/open" class="mt-4 flex gap-2">
							<input type="hidden" name="publication" value={p.id} /><button
								class="btn btn-go w-full justify-center py-2 text-[15px]"
								formtarget={p.app && p.look.window === 'window' ? `app-${p.id}` : undefined}
								>{p.session ? 'Go back to it' : 'Open'}<span class="sr-only">{p.name}</span></button
							>
							{#if p.another}<button class="btn whitespace-nowrap" name="another" value="yes"
									>Another machine<span class="sr-only">for {p.name}</span></button
								>{/if}
						</form>
					{:else if p.wantsFactor && data.factor.on}
						<form method="POST" action="?/give" use:enhance class="mt-3 flex items-start justify-start gap-2">
							<input type="hidden" name="publication" value={p.id} />
							<CodeField
								label="Code from your app"
								problem={form && 'at' in form && form.at === p.id ? form.problem : undefined}
							/>
							<button class="btn btn-go mt-[20px]">Unlock<span class="sr-only">{p.name}</span></button>
						</form>
					{:else if p.wantsFactor}
						<p class="bg-sandwash text-sand mt-3 rounded-md px-3 py-2 text-[14px]">
							It asks for a second factor, and you have none yet. <a class="underline" href="#factor"
								>Set one up below</a
							>.
						</p>
					{:else}
						<p class="bg-sandwash text-sand mt-3 rounded-md px-3 py-2 text-[14px]">{p.advice}</p>
					{/if}
					{#if p.standing === 'fetched'}
						<form method="POST" action="?/put" use:enhance class="mt-2">
							<input type="hidden" name="publication" value={p.id} /><button class="btn btn-plain text-[13px]"
								>Take it off my shelf<span class="sr-only">: {p.name}</span></button
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
			<h2 class="text-[16px]" id="more-head">You can add</h2>
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
									>Add<span class="sr-only">{p.name}</span></button
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
			<h2 class="text-[16px]" id="ask-head">You can ask for</h2>
			<ul class="mt-3 grid gap-3">
				{#each data.askable as p (p.id)}
					<li class="border-hair rounded-xl border border-dashed p-4">
						<div class="flex items-start gap-3">
							<span class="text-ink3"><PublicationIcon icon={p.icon} size={28} /></span>
							<div class="flex-1">
								<h3 class="text-[16px]">{p.name}</h3>
								{#if p.description}<p class="text-ink2 text-[14px]">{p.description}</p>{/if}
								{#if p.asked?.answer === null}
									<p class="text-ink2 text-[14px]">You have asked for it; the answer is on its way.</p>
								{:else}
									{#if p.asked?.answer === 'declined'}<p class="text-sand text-[14px]">
											Your last request was declined: {p.asked.words}
										</p>{/if}
									<form method="POST" action="?/ask" use:enhance class="mt-2 flex flex-wrap items-end gap-2">
										<input type="hidden" name="publication" value={p.id} />
										<label class="text-ink2 flex-1 text-[13px]"
											>What do you need {p.name} for?<input
												class="field"
												name="why"
												aria-invalid={refused(p.id) !== ''}
											/></label
										>
										<button class="btn">Ask<span class="sr-only">for {p.name}</span></button>
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
			<h2 class="text-[16px]" id="answer-head">Requests that wait for you</h2>
			<ul class="mt-3 grid gap-3">
				{#each data.toAnswer as r (r.id)}
					<li class="border-hair bg-sheet rounded-xl border p-4 text-[14px]">
						<p><b>{r.person}</b>, {r.team}, asks for <b>{r.name}</b>: “{r.why}”</p>
						<form method="POST" action="?/answer" use:enhance class="mt-2 flex flex-wrap items-end gap-2">
							<input type="hidden" name="request" value={r.id} />
							<label class="text-ink2 flex-1 text-[13px]"
								>Your words to them<input class="field" name="words" aria-invalid={refusedAnswer(r.id) !== ''} /></label
							>
							<button class="btn btn-go" name="approve" value="yes"
								>Approve<span class="sr-only">the request of {r.person}</span></button
							>
							<button class="btn" name="approve" value="no"
								>Decline<span class="sr-only">the request of {r.person}</span></button
							>
						</form>
						{#if refusedAnswer(r.id)}<p class="text-buoy text-[13px]" role="alert">{refusedAnswer(r.id)}</p>{/if}
					</li>
				{/each}
			</ul>
		</section>
	{/if}
	<section class="border-hair mt-8 border-t pt-4 text-[14px]" aria-labelledby="password-head">
		<h2 class="text-[16px]" id="password-head">Password</h2>
		<p class="text-ink2 mt-1">Changing it signs you out everywhere else.</p>
		<PasswordForm problems={form && 'wrong' in form ? (form.wrong as Record<string, string>) : {}} />
	</section>
	<section class="border-hair mt-8 border-t pt-4 text-[14px]" id="factor" aria-labelledby="factor-head">
		<h2 class="text-[16px]" id="factor-head">Second factor</h2>
		{#if data.factor.on}
			<p class="text-ink2 mt-1">
				It is on{data.factor.given ? ', and you have given it' : ''}. What asks for it takes a code from your app.
			</p>
			<form method="POST" action="?/drop" use:enhance class="mt-2 flex items-start justify-start gap-2">
				<CodeField
					label="Code, to switch it off"
					problem={form && 'problem' in form && !('at' in form) ? form.problem : undefined}
				/>
				<button class="btn mt-[20px]">Switch it off</button>
			</form>
		{:else if form && 'factor' in form && form.factor}
			<p class="text-ink2 mt-1">Point your authenticator app at this picture, or write the letters into it.</p>
			<img src={form.factor.picture} alt="QR code of the secret" class="mt-2 h-40 w-40 bg-white p-1" />
			<p class="font-mono text-[13px] break-all">{form.factor.secret}</p>
			<form method="POST" action="?/confirm" use:enhance class="mt-2 flex items-start justify-start gap-2">
				<CodeField label="Code that the app shows" />
				<button class="btn btn-go mt-[20px]">Switch it on</button>
			</form>
		{:else}
			<p class="text-ink2 mt-1">A code from an app on your phone, besides your password. Some desktops ask for it.</p>
			{#if form && 'problem' in form}<p class="text-buoy mt-1" role="alert">{form.problem}</p>{/if}
			<form method="POST" action="?/factor" use:enhance class="mt-2"><button class="btn">Set it up</button></form>
		{/if}
	</section>
</main>
