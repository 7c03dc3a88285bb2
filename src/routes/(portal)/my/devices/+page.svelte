<script lang="ts">
	import { onMount } from 'svelte';
	import { enhance } from '$app/forms';
	import { invalidateAll } from '$app/navigation';
	import { speakerOf, type Key } from '$lib/core/portal/say';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import PortalHead from '$lib/ui/portal/PortalHead.svelte';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));
	const done = (at: string) => (form && form.at === at && 'done' in form ? form.done : undefined);
	const problem = (at: string) => (form && form.at === at && 'problem' in form ? form.problem : undefined);
	/** What somebody typed that was refused, else the name that stands. */
	const typed = (at: string, name: string) => (form && form.at === at && 'name' in form ? String(form.name) : name);
	const since = (at: number) => say.moment(at, data.zone, data.now);

	const waysOf = (remedies: readonly string[]) =>
		remedies.length > 1 ? 'both' : remedies[0] === 'restart machine' ? 'machine' : 'service';

	// While something is under way its end shows by itself.
	onMount(() => {
		const timer = setInterval(() => {
			if (data.machines.some((m) => m.working || m.state === 'starting' || m.state === 'agent up'))
				void invalidateAll();
		}, 2000);
		return () => clearInterval(timer);
	});
</script>

{#snippet said(at: string)}
	{#if done(at)}<p class="text-kelp mt-2 text-[13.5px]" role="status">{done(at)}</p>{/if}
{/snippet}

{#snippet naming(kind: 'machine' | 'endpoint', thing: string, name: string)}
	<details class="mt-2">
		<summary class="text-ink2 cursor-pointer text-[13px]"
			>{say('devices.rename')}<span class="sr-only">{name}</span></summary
		>
		<form method="POST" action="?/rename" use:enhance class="mt-1 flex items-end gap-2">
			<input type="hidden" name="kind" value={kind} /><input type="hidden" name="thing" value={thing} />
			<TextField
				label={say('devices.name-of', { name })}
				name="name"
				value={typed(thing, name)}
				problem={problem(thing)}
			/>
			<button class="btn mb-[18px]">{say('devices.save')}</button>
		</form>
	</details>
{/snippet}

<svelte:head><title>{say('devices.title')} · Sextant</title></svelte:head>
<main class="mx-auto max-w-[860px] px-5 py-5">
	<PortalHead {say} here="devices" />
	<h1 class="mt-5 text-[22px]">{say('devices.title')}</h1>

	<section class="mt-5" aria-labelledby="machines-head">
		<h2 class="text-[16px]" id="machines-head">{say('devices.machines')}</h2>
		<ul class="mt-3 grid gap-3 sm:grid-cols-2">
			{#each data.machines as m (m.machine)}
				<li class="border-hair bg-sheet rounded-xl border p-4 text-[14px]">
					<h3 class="text-[16px]">{m.name}</h3>
					<p class="text-ink2 text-[13px]">
						{[
							...(m.name === m.machine ? [] : [m.machine]),
							m.publication ?? m.pool,
							say(m.kept ? 'devices.yours' : 'devices.shared')
						].join(' · ')}
					</p>
					{#if m.working}
						<p class="bg-seawash mt-2 rounded-md px-3 py-2">{say('devices.working')}</p>
					{:else if m.wrong}
						<p class="bg-sandwash text-sand mt-2 rounded-md px-3 py-2">
							{say(`check.${m.wrong.check}`)}
							{say('devices.since', { when: since(m.wrong.since) })}
						</p>
						{#if m.wrong.remedies.length}
							<form method="POST" action="?/mend" use:enhance class="mt-2">
								<input type="hidden" name="machine" value={m.machine} />
								<button class="btn btn-go">{say('devices.mend')}<span class="sr-only">{m.name}</span></button>
								<p class="text-ink2 mt-1 text-[13px]">
									{say('devices.mend-how', { what: waysOf(m.wrong.remedies) })}
									{#if m.wrong.remedies.includes('restart machine')}{say('devices.restart-ends')}{/if}
								</p>
							</form>
						{:else}<p class="mt-2">{say('devices.helpdesk')}</p>{/if}
					{:else}
						<p class="mt-2">
							{say(`state.${m.state}` as Key)}
							<span class="text-ink2 text-[13px]">· {say('devices.since', { when: since(m.since) })}</span>
						</p>
					{/if}
					{#if m.kept && !m.working && ['off', 'ready', 'in use', 'failed'].includes(m.state)}
						<form method="POST" action="?/restart" use:enhance class="mt-2">
							<input type="hidden" name="machine" value={m.machine} />
							<button class="btn"
								>{say(m.state === 'off' || m.state === 'failed' ? 'devices.start' : 'devices.restart')}<span
									class="sr-only">{m.name}</span
								></button
							>
							{#if m.session !== null}<p class="text-ink2 mt-1 text-[13px]">{say('devices.restart-ends')}</p>{/if}
						</form>
					{/if}
					{@render said(m.machine)}
					{#if problem(m.machine) && !(form && 'name' in form)}<p class="text-buoy mt-2 text-[13px]" role="alert">
							{problem(m.machine)}
						</p>{/if}
					{@render naming('machine', m.machine, m.name)}
				</li>
			{:else}<li class="text-ink2 text-[14px]">{say('devices.no-machines')}</li>{/each}
		</ul>
	</section>

	<section class="border-hair mt-7 border-t pt-4" aria-labelledby="endpoints-head">
		<h2 class="text-[16px]" id="endpoints-head">{say('devices.endpoints')}</h2>
		<ul class="mt-3 grid gap-3 sm:grid-cols-2">
			{#each data.devices as d (d.id)}
				<li class="border-hair rounded-xl border p-4 text-[14px]">
					<h3 class="text-[16px]">{d.name}</h3>
					<p class="text-ink2 text-[13px]">{[d.model, d.serial].join(' · ')}</p>
					<p class="mt-2">
						{#if d.shut}<span class="text-sand">{say('devices.shut')}</span>
						{:else}{say(d.awake ? 'devices.awake' : 'devices.asleep', { when: since(d.since) })}{#if d.on}. {say(
									'devices.on'
								)}{/if}{/if}
					</p>
					{@render said(d.serial)}
					{@render naming('endpoint', d.serial, d.name)}
				</li>
			{:else}<li class="text-ink2 text-[14px]">{say('devices.no-endpoints')}</li>{/each}
		</ul>
	</section>

	<section class="border-hair mt-7 border-t pt-4 text-[14px]" id="channels" aria-labelledby="channels-head">
		<h2 class="text-[16px]" id="channels-head">{say('devices.channels')}</h2>
		<p class="text-ink2 mt-1">{say('devices.channels-lead')}</p>
		{#if !data.asked}<p class="text-ink2 mt-1">{say('devices.channels-asked')}</p>{/if}
		<form
			method="POST"
			action="?/channels"
			use:enhance={() =>
				({ update }) =>
					update({ reset: false })}
			class="mt-3"
		>
			<ul class="flex flex-col gap-2">
				{#each data.channels as c (c.channel)}
					<li>
						<label class="flex items-start gap-2"
							><input type="checkbox" class="mt-1" name="pass" value={c.channel} checked={c.pass} /><span
								><b>{say(`channel.${c.channel}`)}</b>: {say(`channel.${c.channel}.what`)}.
								{#if c.of > 0 && c.refusedOn.length === c.of}<span class="text-ink2">{say('devices.refused-all')}</span>
								{:else if c.refusedOn.length}<span class="text-ink2"
										>{say('devices.refused', { names: say.list(c.refusedOn) })}</span
									>{/if}</span
							></label
						>
					</li>
				{/each}
			</ul>
			<button class="btn btn-go mt-3">{say('devices.save')}</button>
			{@render said('channels')}
			{#if problem('channels')}<p class="text-buoy mt-2 text-[13px]" role="alert">{problem('channels')}</p>{/if}
		</form>
	</section>
</main>
