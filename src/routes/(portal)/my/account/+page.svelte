<script lang="ts">
	import type { Snippet } from 'svelte';
	import { enhance } from '$app/forms';
	import { speakerOf } from '$lib/core/portal/say';
	import CodeField from '$lib/ui/forms/CodeField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import PasskeyForm from '$lib/ui/portal/PasskeyForm.svelte';
	import PortalHead from '$lib/ui/portal/PortalHead.svelte';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));
	/** What was answered to a section's own form. */
	const inSection = (section: string) => (form?.section === section ? form : null);
	const done = (section: string) => {
		const answer = inSection(section);
		return answer && 'done' in answer ? answer.done : undefined;
	};
	const problem = (section: string) => {
		const answer = inSection(section);
		return answer && 'problem' in answer ? answer.problem : undefined;
	};
	const given = $derived(form && 'given' in form ? form.given : undefined);
	const atPasskey = $derived(form && 'at' in form ? form.at : undefined);
	const problems = $derived(form && 'problems' in form ? (form.problems as Record<string, string>) : {});
	const factor = $derived(form && 'factor' in form ? form.factor : undefined);
	const codes = $derived(form && 'codes' in form ? form.codes : undefined);
	const here = $derived(data.passkeys.filter((p) => p.host === data.host));
	/** Their second factor is asked for: not shown lately, when the page came or since. */
	const waiting = $derived(data.factor && (!data.given || (form !== null && 'late' in form)));
</script>

{#snippet section(id: string, title: string, lead: string, content: Snippet)}
	<section class="border-hair mt-7 border-t pt-4 text-[14px]" {id} aria-labelledby="{id}-head">
		<h2 class="text-[16px]" id="{id}-head">{title}</h2>
		<p class="text-ink2 mt-1">{lead}</p>
		{#if done(id)}<p class="text-kelp mt-2" role="status">{done(id)}</p>{/if}
		{@render content()}
	</section>
{/snippet}

{#snippet passkeys()}
	<ul class="mt-3 flex flex-col gap-2">
		{#each data.passkeys as p (p.id)}
			<li class="border-hair bg-sheet rounded-lg border p-3">
				<div class="flex flex-wrap items-baseline gap-x-3">
					<h3 class="text-[15px]">{p.name}</h3>
					<span class="text-ink2 text-[13px]"
						>{[
							say('account.passkey-made', { day: say.day(p.madeAt, data.zone) }),
							p.usedAt === null
								? say('account.passkey-unused')
								: say('account.passkey-used', { day: say.day(p.usedAt, data.zone) }),
							...(p.synced ? [say('account.passkey-synced')] : []),
							...(p.host === data.host ? [] : [say('account.passkey-elsewhere', { host: p.host })])
						].join(' · ')}</span
					>
				</div>
				<div class="mt-2 flex flex-wrap items-end gap-2">
					<form method="POST" action="?/rename-passkey" use:enhance class="flex items-end gap-2">
						<input type="hidden" name="id" value={p.id} />
						<TextField
							label={say('account.passkey-name')}
							name="name"
							value={p.name}
							problem={atPasskey === p.id ? problem('passkeys') : undefined}
						/>
						<button class="btn mb-[18px]">{say('account.rename')}<span class="sr-only">{p.name}</span></button>
					</form>
					<form method="POST" action="?/remove-passkey" use:enhance>
						<input type="hidden" name="id" value={p.id} />
						<button class="btn btn-plain mb-[18px]">{say('account.remove')}<span class="sr-only">{p.name}</span></button
						>
					</form>
				</div>
			</li>
		{:else}
			<li class="text-ink2">{say('account.no-passkeys')}</li>
		{/each}
	</ul>
	{#if !data.passkeysTaken}
		<p class="text-ink2 mt-2">{say('passkey.off')}</p>
	{:else if data.host === null}
		<p class="text-ink2 mt-2">{say('passkey.no-address', { address: data.address })}</p>
	{:else}
		<PasskeyForm
			{say}
			action="?/add-passkey"
			what="add"
			problem={atPasskey === undefined ? problem('passkeys') : undefined}
		>
			{#snippet more()}<div class="w-[220px]">
					<TextField label={say('account.passkey-name')} name="name" value={say('account.passkey-usual')} />
				</div>{/snippet}
			{say('account.passkey-add')}
		</PasskeyForm>
	{/if}
{/snippet}

{#snippet app()}
	{#if data.app}
		<p class="mt-2">{say('account.app-on', { given: data.given ? 'yes' : 'no' })}</p>
		<form method="POST" action="?/drop" use:enhance class="mt-2 flex items-start justify-start gap-2">
			<CodeField label={say('account.app-off-code')} letters problem={problem('app')} />
			<button class="btn mt-[20px]">{say('account.app-off')}</button>
		</form>
	{:else if factor}
		<p class="mt-2">{say('account.app-scan')}</p>
		<img src={factor.picture} alt={say('account.app-picture')} class="mt-2 h-40 w-40 bg-white p-1" />
		<p class="font-mono text-[13px] break-all">{factor.secret}</p>
		<form method="POST" action="?/confirm" use:enhance class="mt-2 flex items-start justify-start gap-2">
			<CodeField label={say('account.app-code')} />
			<button class="btn btn-go mt-[20px]">{say('account.app-on-button')}</button>
		</form>
	{:else}
		{#if problem('app')}<p class="text-buoy mt-1" role="alert">{problem('app')}</p>{/if}
		<form method="POST" action="?/factor" use:enhance class="mt-2">
			<button class="btn">{say('account.app-set-up')}</button>
		</form>
	{/if}
{/snippet}

{#snippet recovery()}
	<p class="mt-2">
		{data.recovery === null
			? say(data.factor ? 'account.recovery-none' : 'account.recovery-needs')
			: say('account.recovery-left', { left: data.recovery })}
	</p>
	{#if problem('recovery')}<p class="text-buoy mt-1" role="alert">{problem('recovery')}</p>{/if}
	{#if data.factor}
		<form method="POST" action="?/recovery" use:enhance class="mt-2 flex flex-wrap items-center gap-2">
			<button class="btn">{say('account.recovery-make')}</button>
			{#if data.recovery !== null}<span class="text-ink2 text-[13px]">{say('account.recovery-again')}</span>{/if}
		</form>
	{/if}
{/snippet}

{#snippet password()}
	<form method="POST" action="?/password" use:enhance class="mt-1 flex flex-wrap items-start gap-2">
		<TextField
			label={say('account.before')}
			type="password"
			name="before"
			autocomplete="current-password"
			problem={problems.before}
		/>
		<TextField
			label={say('account.next')}
			type="password"
			name="next"
			autocomplete="new-password"
			problem={problems.next}
		/>
		<button class="btn mt-[20px]">{say('account.change')}</button>
	</form>
{/snippet}

{#snippet elsewhere()}
	{#if problem('elsewhere')}<p class="text-buoy mt-1" role="alert">{problem('elsewhere')}</p>{/if}
	{#if data.elsewhere > 0}
		<form method="POST" action="?/elsewhere" use:enhance class="mt-2">
			<button class="btn">{say('account.elsewhere-end')}</button>
		</form>
	{/if}
{/snippet}

<svelte:head><title>{say('account.title')} · Sextant</title></svelte:head>
<main class="mx-auto max-w-[860px] px-5 py-5">
	<PortalHead {say} here="account" />
	<h1 class="mt-5 text-[22px]">{say('account.title')}</h1>
	<p class="text-ink2 mt-1 text-[15px]">{say('account.lead')}</p>
	{#if data.wanted}
		<p class="bg-seawash mt-3 rounded-md px-3 py-2 text-[14px]">
			{say(data.wanted.opens ? 'account.for-done' : 'account.for', { name: data.wanted.name })}
			{#if data.wanted.opens}<a class="ml-2 underline" href="/my">{say('account.to-shelf')}</a>{/if}
		</p>
	{/if}
	{#if codes}
		<section class="border-sea bg-sheet mt-4 rounded-lg border p-4 text-[14px]" aria-labelledby="codes-head">
			<h2 class="text-[16px]" id="codes-head">{say('account.recovery-yours')}</h2>
			<p class="mt-1">{say('account.recovery-shown')}</p>
			<ul class="mt-2 grid gap-x-6 gap-y-1 font-mono text-[14px] sm:grid-cols-2">
				{#each codes as code (code)}<li>{code}</li>{/each}
			</ul>
		</section>
	{/if}
	{#if waiting}
		<section class="border-hair bg-sheet mt-4 rounded-lg border p-4 text-[14px]" id="show" aria-labelledby="show-head">
			<h2 class="text-[16px]" id="show-head">{say('account.factor-head')}</h2>
			<p class="text-ink2 mt-1">{say('account.factor-lead')}</p>
			{#if data.passkeysTaken && here.length}
				<PasskeyForm {say} action="?/show" problem={given === 'answer' ? problem('show') : undefined}
					>{say('passkey.use')}</PasskeyForm
				>
			{/if}
			<form method="POST" action="?/show" use:enhance class="mt-2 flex items-start justify-start gap-2">
				<CodeField label={say('shelf.code')} letters problem={given === 'code' ? problem('show') : undefined} />
				<button class="btn mt-[20px]">{say('shelf.unlock')}</button>
			</form>
		</section>
	{:else if done('show')}<p class="text-kelp mt-2 text-[14px]" role="status">{done('show')}</p>{/if}
	{@render section('passkeys', say('account.passkeys'), say('account.passkeys-lead'), passkeys)}
	{@render section('app', say('account.app'), say('account.app-lead'), app)}
	{@render section('recovery', say('account.recovery'), say('account.recovery-lead'), recovery)}
	{@render section('password', say('account.password'), say('account.password-lead'), password)}
	{@render section(
		'elsewhere',
		say('account.elsewhere'),
		say('account.elsewhere-lead', { n: data.elsewhere }),
		elsewhere
	)}
</main>
