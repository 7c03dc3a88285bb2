<script lang="ts">
	import { speakerOf } from '$lib/core/portal/say';
	import Field from '$lib/ui/forms/Field.svelte';
	import LanguageChoice from '$lib/ui/portal/LanguageChoice.svelte';

	let { data, form } = $props();
	const say = $derived(speakerOf(data.language));
</script>

<svelte:head><title>{say('sign-in.title')} · Sextant</title></svelte:head>
<main class="mx-auto mt-[12vh] w-[360px] max-w-[92vw]">
	<h1 class="text-[22px]">{say('sign-in.head')}</h1>
	<form method="POST" class="mt-5 flex flex-col gap-1.5">
		<Field label={say('sign-in.login')} problem={undefined}
			>{#snippet children(p)}<input
					{...p}
					class="field py-2 text-[16px]"
					name="login"
					autocomplete="username"
					value={form?.login ?? ''}
				/>{/snippet}</Field
		>
		<Field label={say('sign-in.password')} problem={form?.problem}
			>{#snippet children(p)}<input
					{...p}
					class="field py-2 text-[16px]"
					type="password"
					name="password"
					autocomplete="current-password"
				/>{/snippet}</Field
		>
		{#if data.ownDays > 0}<label class="mb-1 flex items-start gap-2 text-[14px]"
				><input type="checkbox" name="own" value="yes" class="mt-1" checked={form?.own ?? false} />{say('sign-in.own', {
					days: data.ownDays
				})}</label
			>{/if}
		<button class="btn btn-go justify-center py-2 text-[15px]">{say('sign-in.button')}</button>
	</form>
	{#if data.passkeys}<p class="mt-3">
			<a class="btn w-full justify-center py-2 text-[15px]" href="/my/sign-in/passkey">{say('sign-in.passkey')}</a>
		</p>{/if}
	{#if data.demo}<p class="text-ink2 mt-6 text-[13px]">
			{say('sign-in.demo', { password: 'tideline', login: 'alindqvist' })}
		</p>{/if}
	<div class="mt-6"><LanguageChoice {say} to="/my/sign-in" /></div>
</main>
