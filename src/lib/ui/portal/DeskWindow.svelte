<script lang="ts">
	import type { Snippet } from 'svelte';

	/** A window of the simulated desktop: moved by its bar, with the pointer or with arrow keys, and in front once it is used. */
	interface Props {
		name: string;
		/** Beside the name. */
		detail?: string;
		/** Over the whole of what is there: such a one stands still. */
		full?: boolean;
		/** Where it stands at first: each a little beside the one before. */
		nth?: number;
		width?: number;
		front: boolean;
		/** Told when it is used. */
		used?: () => void;
		/** What closes it. */
		close?: Snippet | undefined;
		children: Snippet;
	}
	let { name, detail = '', full = false, nth = 0, width = 520, front, used, close, children }: Props = $props();
	/** How far it has been moved from where it stood at first, px. */
	let moved = $state({ x: 0, y: 0 });
	let held: { x: number; y: number } | null = null;
	let frame: HTMLElement | undefined = $state();
	const STEP = 24;

	/** Its bar stays within the desk, whoever moves it. */
	function move(by: { x: number; y: number }) {
		const desk = frame?.parentElement;
		if (!frame || !desk) return;
		const left = frame.offsetLeft + moved.x + by.x;
		const top = frame.offsetTop + moved.y + by.y;
		moved = {
			x: moved.x + by.x + Math.max(0, 60 - frame.offsetWidth - left) - Math.max(0, left - desk.clientWidth + 60),
			y: moved.y + by.y + Math.max(0, -top) - Math.max(0, top - desk.clientHeight + 80)
		};
	}
	function onKey(e: KeyboardEvent) {
		const by = { ArrowLeft: [-1, 0], ArrowRight: [1, 0], ArrowUp: [0, -1], ArrowDown: [0, 1] }[e.key];
		if (!by || e.target !== e.currentTarget) return;
		e.preventDefault();
		move({ x: by[0]! * STEP, y: by[1]! * STEP });
	}
</script>

<!-- svelte-ignore a11y_no_noninteractive_element_interactions -->
<section
	bind:this={frame}
	class={[
		'flex flex-col bg-[#fbfaf5] text-[#15253b]',
		full ? 'absolute inset-0' : 'absolute max-w-[84%] rounded-md shadow-2xl',
		!full && (front ? 'ring-1 ring-[#9db4c2]' : 'opacity-95')
	]}
	style={full
		? ''
		: `top: calc(6% + ${(nth % 7) * 40}px); left: min(calc(6% + ${(nth % 9) * 52}px), max(2%, calc(98% - ${width}px))); width: ${width}px; transform: translate(${moved.x}px, ${moved.y}px); z-index: ${front ? 20 : 10}`}
	aria-label={name}
	onfocusin={used}
	onpointerdown={used}
>
	<!-- svelte-ignore a11y_no_noninteractive_tabindex, a11y_no_noninteractive_element_interactions -->
	<div
		class={[
			'flex items-center bg-[#dfe6ea] px-3 py-1.5 text-[13px] font-semibold select-none',
			!full && 'cursor-move touch-none rounded-t-md'
		]}
		role={full ? undefined : 'group'}
		aria-label={full ? undefined : `Bar of ${name}: arrow keys move the window`}
		tabindex={full ? undefined : 0}
		onkeydown={onKey}
		onpointerdown={(e) => {
			if (full || (e.target as Element).closest('button')) return;
			held = { x: e.clientX, y: e.clientY };
			e.currentTarget.setPointerCapture(e.pointerId);
		}}
		onpointermove={(e) => {
			if (!held) return;
			move({ x: e.clientX - held.x, y: e.clientY - held.y });
			held = { x: e.clientX, y: e.clientY };
		}}
		onpointerup={() => (held = null)}
		onpointercancel={() => (held = null)}
	>
		{name}{#if detail}<span class="ml-2 font-normal text-[#4a5a6e]">{detail}</span>{/if}<span class="ml-auto"
			>{@render close?.()}</span
		>
	</div>
	<div class="flex-1 p-4 text-[14px]">{@render children()}</div>
</section>
