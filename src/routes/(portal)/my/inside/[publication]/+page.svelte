<script lang="ts">
	import { onMount } from 'svelte';
	import { enhance } from '$app/forms';
	import { invalidateAll } from '$app/navigation';
	import { speakerOf } from '$lib/core/portal/say';
	import { clockWords } from '$lib/core/time/zone';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import GiveFactor from '$lib/ui/portal/GiveFactor.svelte';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));
	const inside = $derived(data.inside);
	const picture = $derived(
		inside?.picture ? `data:image/svg+xml;charset=utf-8,${encodeURIComponent(inside.picture)}` : null
	);
	/** Why they are not let in, as the rule says it, or as it is. */
	const why = $derived(
		data.lack
			? say.lack(data.lack)
			: inside && !inside.answers
				? say('inside.silent')
				: (inside?.words ??
					(inside?.asked === 'factor'
						? say('inside.factor')
						: inside?.asked === 'reason'
							? say('inside.reason')
							: inside?.asked === 'sign in'
								? say('inside.sign-in')
								: ''))
	);
	onMount(() => {
		document.documentElement.dataset.ready = 'yes';
	});
</script>

<svelte:head><title>{data.name} · Sextant</title></svelte:head>
{#if picture && inside}
	<div class="flex min-h-screen flex-col">
		<header class="bg-deck text-decktext flex flex-wrap items-center gap-3 px-4 py-2 text-[14px]">
			<h1 class="font-[650]">{data.name}</h1>
			<span class="text-deck2">{inside.way === 'window' ? say('inside.window') : say('inside.lead')}</span>
			<span class="text-deck2 ml-auto text-[13px]">{clockWords(data.zone, data.now)}</span>
			<button class="btn" onclick={() => invalidateAll()}>{say('inside.again')}</button>
			<a class="btn" href="/my">{say('desk.to-shelf')}</a>
		</header>
		<main class="bg-shade flex-1 p-2">
			<img
				class="border-hair mx-auto block w-full max-w-[1280px] border"
				src={picture}
				alt={say('inside.alt', { name: data.name })}
				draggable="false"
			/>
		</main>
	</div>
{:else}
	<main class="mx-auto max-w-[460px] px-5 pt-[12vh]">
		<h1 class="text-[22px]">{say('inside.refused', { name: data.name })}</h1>
		<p class="mt-3 text-[16px]">{why}</p>
		{#if inside && inside.answers && inside.effect === 'refuse' && inside.asked === null}<p
				class="text-ink2 mt-2 text-[14px]"
			>
				{data.rule === null ? say('inside.end') : say('inside.rule', { rule: data.rule })}
			</p>{/if}
		{#if inside?.asked === 'reason'}
			<form method="POST" action="?/say" use:enhance class="mt-3">
				<TextField
					label={say('inside.for')}
					name="for"
					value={form?.given === 'reason' ? form.said : ''}
					problem={form?.given === 'reason' ? form.problem : undefined}
				/>
				<button class="btn btn-go mt-2">{say('inside.go')}</button>
			</form>
		{/if}
		{#if inside?.asked === 'factor'}<GiveFactor
				{say}
				publication={data}
				factor={data.factor}
				problemAt={(given) => (form?.given === given ? form.problem : undefined)}
			/>{/if}
		<p class="mt-6 flex gap-3">
			<button class={['btn', inside?.asked === 'reason' || 'btn-go']} onclick={() => invalidateAll()}
				>{say('inside.again')}</button
			>
			<a class="btn" href="/my">{say('desk.to-shelf')}</a>
		</p>
	</main>
{/if}
