<script lang="ts">
	import { enhance } from '$app/forms';
	import { momentWords } from '$lib/core/time/zone';

	/** Where somebody is signed in, each with a button that ends it. */
	interface Props {
		signIns: readonly {
			id: string;
			address: string;
			browser: string;
			shown: string;
			began: number;
			seen: number;
			here: boolean;
		}[];
		problem?: string | undefined;
	}
	let { signIns, problem }: Props = $props();
	// Sign-ins live by the wall's clock: they are said in the zone of whoever looks.
	const ZONE = Intl.DateTimeFormat().resolvedOptions().timeZone;
</script>

<h3 class="head mt-4">Signed in <small>where, with what, and since when; each can be ended</small></h3>
<ul class="mt-1 text-[13px]" aria-label="Sign-ins">
	{#each signIns as s (s.id)}
		<li class="border-hair2 flex items-center gap-2 border-b py-1">
			<span class="flex-1"
				>{s.browser || 'a program'}{s.address && `, ${s.address}`}<span class="text-ink2"
					>&ensp;by {s.shown}, {momentWords(ZONE, s.began)}; used last {momentWords(ZONE, s.seen)}</span
				></span
			>
			{#if s.here}<span class="pill pill-kelp">here</span>{:else}
				<form method="POST" action="?/end" use:enhance>
					<input type="hidden" name="id" value={s.id} />
					<button class="btn btn-small" aria-label="End the sign-in of {momentWords(ZONE, s.began)}">End</button>
				</form>
			{/if}
		</li>
	{/each}
</ul>
{#if problem}<p class="text-buoy mt-1 text-[12.5px]" role="alert">{problem}</p>{/if}
