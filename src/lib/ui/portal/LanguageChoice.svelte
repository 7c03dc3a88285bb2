<script lang="ts">
	import { LANGUAGES } from '$lib/core/portal/languages';
	import { speakerOf, type Speaker } from '$lib/core/portal/say';

	/** Another language for the portal, kept in this browser; `to`: the page to come back to. */
	let { say, to }: { say: Speaker; to: string } = $props();
</script>

<form method="POST" action="/my/language" class="flex flex-wrap gap-x-3 text-[13px]" aria-label={say('head.language')}>
	<input type="hidden" name="to" value={to} />
	{#each LANGUAGES as language (language)}
		<button
			class={['btn btn-plain px-0', language === say.language ? 'font-[650]' : 'text-ink2']}
			name="language"
			value={language}
			lang={language}
			aria-pressed={language === say.language}>{speakerOf(language)('language')}</button
		>
	{/each}
</form>
