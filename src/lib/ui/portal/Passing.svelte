<script lang="ts">
	import { enhance } from '$app/forms';
	import type { Key, Speaker } from '$lib/core/portal/say';
	import type { Passage } from '$lib/core/reach/channels';
	import { sizeWords } from '$lib/core/time/units';
	import { keptWords, type Kept } from '$lib/core/portal/kept';

	/** What passes between the notes of the simulated desktop and the device in front of its person: each time asked at the door. */
	interface Props {
		say: Speaker;
		notes: string;
	}
	let { say, notes = $bindable() }: Props = $props();
	let device = $state('');
	let files: { name: string; bytes: number }[] = $state([]);
	/** Whether it was asked what something is for; and what they say. */
	let asksWhy = $state(false);
	let why = $state('');
	let said: { words: string; why: string | null } | null = $state(null);
	const sizeOf = (text: string) => new TextEncoder().encode(text).length;
	const nameOf = (passage: Passage) => say(`way.${passage}` as Key);

	interface Answer {
		passage: Passage;
		bytes: number;
		kept: Kept | null;
	}

	/** What stood there when it was asked: that is what passes, whatever is typed meanwhile. */
	interface Was {
		notes: string;
		device: string;
	}
	/** What comes of one way: says it, and does what it is for where it passed. */
	const asked =
		(done: (was: Was) => void): Parameters<typeof enhance>[1] =>
		() => {
			const was = { notes, device };
			return async ({ result }) => {
				if (result.type === 'failure') {
					said = { words: String(result.data?.refused ?? say('pass.what')), why: null };
					return;
				}
				if (result.type !== 'success') return;
				const { passage, bytes, kept } = result.data as unknown as Answer;
				const values = { way: nameOf(passage), size: sizeWords(bytes) };
				if (kept?.by === 'reason') asksWhy = true;
				if (kept) said = { words: say('pass.refused', values), why: keptWords(say, kept) };
				else {
					said = { words: passage === 'printers' ? say('pass.printed') : say('pass.done', values), why: null };
					done(was);
				}
			};
		};
	function download(was: Was) {
		const link = document.createElement('a');
		link.href = URL.createObjectURL(new Blob([was.notes], { type: 'text/plain' }));
		link.download = 'notes.txt';
		link.click();
		URL.revokeObjectURL(link.href);
	}
	let bringing: HTMLFormElement | undefined = $state();
	let brought: { name: string; bytes: number } | null = $state(null);
	function bring(e: Event & { currentTarget: HTMLInputElement }) {
		const [file] = e.currentTarget.files ?? [];
		if (!file) return;
		brought = { name: file.name, bytes: file.size };
		e.currentTarget.value = '';
		requestAnimationFrame(() => bringing?.requestSubmit());
	}
</script>

{#snippet way(passage: Passage, bytes: number, words: string, done: (was: Was) => void, of = '')}
	<form method="POST" action="?/pass" use:enhance={asked(done)}>
		<input type="hidden" name="passage" value={passage} /><input type="hidden" name="bytes" value={bytes} /><input
			type="hidden"
			name="for"
			value={why}
		/>
		<button class="rounded border border-[#9db4c2] px-2 py-0.5 text-[13px] hover:bg-[#dfe6ea]"
			>{words}{#if of}<span class="sr-only"> {of}</span>{/if}</button
		>
	</form>
{/snippet}

<label class="block text-[13px]"
	>{say('pass.device')} <span class="text-[#4a5a6e]">· {say('pass.device-hint')}</span>
	<textarea
		class="mt-1 h-14 w-full resize-none rounded border border-[#ddd8cb] bg-white p-2 text-[14px] text-[#15253b]"
		bind:value={device}></textarea></label
>
<div class="mt-1 flex flex-wrap gap-1.5">
	{@render way(
		'clipboard-in',
		sizeOf(device),
		say('pass.paste'),
		(was) => (notes = notes ? `${notes}\n${was.device}` : was.device)
	)}
	{@render way('clipboard-out', sizeOf(notes), say('pass.copy'), (was) => (device = was.notes))}
	{@render way('downloads', sizeOf(notes), say('pass.download'), download)}
	{@render way('printers', 0, say('pass.print'), () => {})}
</div>
<form
	class="mt-3"
	method="POST"
	action="?/pass"
	bind:this={bringing}
	use:enhance={asked(() => {
		if (brought) files = [...files, brought];
	})}
>
	<input type="hidden" name="passage" value="drives-in" /><input
		type="hidden"
		name="bytes"
		value={brought?.bytes ?? 0}
	/><input type="hidden" name="for" value={why} />
	<label
		class="inline-block cursor-pointer rounded border border-[#9db4c2] px-2 py-0.5 text-[13px] focus-within:outline-2 focus-within:outline-[#0a5c7d] hover:bg-[#dfe6ea]"
		>{say('pass.bring')} <input type="file" class="sr-only" onchange={bring} /></label
	>
</form>
<ul class="mt-1 text-[13px]" aria-label={say('pass.files')}>
	{#each files as f, i (i)}<li class="flex items-center gap-2 py-0.5">
			{f.name} <span class="text-[#4a5a6e]">{sizeWords(f.bytes)}</span>
			{@render way('drives-out', f.bytes, say('pass.take'), () => {}, f.name)}
		</li>{:else}<li class="text-[#4a5a6e]">{say('pass.none')}</li>{/each}
</ul>
{#if asksWhy}<label class="mt-2 block text-[13px]"
		>{say('inside.for')}
		<input
			class="mt-1 w-full rounded border border-[#c9c3b2] bg-white px-2 py-1"
			maxlength="200"
			bind:value={why}
		/></label
	>{/if}
<p class="mt-2 min-h-5 text-[13.5px]" role="status">
	{#if said}<b class={said.why ? 'text-[#a3370f]' : 'text-[#2c6e4f]'}>{said.words}</b>{said.why === null
			? ''
			: ` ${said.why}`}{/if}
</p>
