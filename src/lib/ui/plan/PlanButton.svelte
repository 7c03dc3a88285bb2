<script lang="ts">
	import { toast } from 'svelte-sonner';
	import { arrive } from '$lib/ui/frame/arrive';
	import { call, refusalWords, type Plan } from './api';

	interface Props {
		kind: string;
		input: unknown;
		words: string;
		/** What a screen reader says, where the words alone do not say what for. */
		label?: string;
		main?: boolean;
		/** For rows of a table: no taller than their text. */
		small?: boolean;
		ask?: { field: string; words: string };
	}
	let { kind, input, words, label, main = false, small = false, ask }: Props = $props();
	let asking = $state(false);
	let text = $state('');
	let problem = $state('');
	let busy = $state(false);

	async function draft() {
		if (ask && !asking) {
			asking = true;
			return;
		}
		busy = true;
		const body = ask ? { ...(input as object), [ask.field]: text } : input;
		const answer = await call<Plan>('POST', '/plans', { kind, input: body });
		busy = false;
		if (answer.ok) {
			asking = false;
			problem = '';
			await arrive({ plan: answer.value.id, at: null }, { keepFocus: true, noScroll: true });
		} else if (ask) problem = answer.refusal.detail;
		else toast.error(answer.refusal.title, { description: refusalWords(answer.refusal) });
	}
</script>

{#if asking && ask}
	<form
		class="flex w-full flex-col gap-1"
		onsubmit={(e) => {
			e.preventDefault();
			void draft();
		}}
	>
		<label class="text-ink2 text-[12.5px]">
			{ask.words}
			<textarea class="field" rows="2" bind:value={text} aria-invalid={problem !== ''}></textarea>
		</label>
		{#if problem}<p class="text-buoy text-[12.5px]" role="alert">{problem}</p>{/if}
		<div class="flex gap-2">
			<button class="btn" disabled={busy}>{words}</button>
			<button type="button" class="btn btn-plain" onclick={() => (asking = false)}>Leave it</button>
		</div>
	</form>
{:else}
	<button class={['btn', main && 'btn-go', small && 'btn-small']} aria-label={label} disabled={busy} onclick={draft}
		>{words}</button
	>
{/if}
