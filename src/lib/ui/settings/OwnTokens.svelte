<script lang="ts">
	import { enhance } from '$app/forms';
	import { momentWords } from '$lib/core/time/zone';

	/** The tokens that somebody has made and that work, each with a button that ends it: whatever their role has become since. */
	interface Props {
		tokens: readonly {
			name: string;
			called: string;
			words: string;
			made_at: number;
			ends: number | null;
			used_at: number | null;
		}[];
		zone: string;
		problem?: string | undefined;
	}
	let { tokens, zone, problem }: Props = $props();
</script>

{#if tokens.length || problem}
	<h3 class="head mt-4">Tokens <small>that you have made: what each may do, and when it was used last</small></h3>
	<ul class="mt-1 text-[13px]" aria-label="Your tokens">
		{#each tokens as t (t.name)}
			<li class="border-hair2 flex items-center gap-2 border-b py-1">
				<span class="flex-1"
					>{t.name}<span class="text-ink2"
						>&ensp;{t.called}
						{t.words}, made {momentWords(zone, t.made_at)}{t.ends === null
							? ''
							: `, until ${momentWords(zone, t.ends)}`}; {t.used_at === null
							? 'never used'
							: `used last ${momentWords(zone, t.used_at)}`}</span
					></span
				>
				<form method="POST" action="?/end-token" use:enhance>
					<input type="hidden" name="name" value={t.name} />
					<button class="btn btn-small" aria-label="Revoke token {t.name}">Revoke</button>
				</form>
			</li>
		{/each}
	</ul>
	{#if problem}<p class="text-buoy mt-1 text-[12.5px]" role="alert">{problem}</p>{/if}
{/if}
