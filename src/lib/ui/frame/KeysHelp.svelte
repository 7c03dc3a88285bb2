<script lang="ts">
	let { close }: { close: () => void } = $props();
	const KEYS = [
		['0 – 6', 'Today and the six stages'],
		['/', 'narrow the scope'],
		['[  ]', 'moment a quarter of an hour back, on'],
		['l', 'live'],
		['j  k', 'next and previous row'],
		['Enter', 'open the card'],
		['w', 'why'],
		['p', 'plan tray: review'],
		['Ctrl Enter', 'commit the plan'],
		['Ctrl K', 'go to or do'],
		['Esc', 'close what is open'],
		['?', 'these keys']
	];
</script>

<aside
	class="border-hair bg-sheet fixed right-6 bottom-[120px] z-40 w-[320px] rounded-lg border p-4 text-[13px] shadow-xl"
	aria-label="Keys"
>
	<div class="flex">
		<h2 class="head">Keys</h2>
		<button class="text-sea ml-auto" onclick={close}>close ×</button>
	</div>
	<dl class="mt-2">
		{#each KEYS as [key, words] (key)}<div class="border-hair2 flex gap-3 border-b py-1">
				<dt class="text-ink w-24 font-mono text-[12.5px]">{key}</dt>
				<dd class="text-ink2">{words}</dd>
			</div>{/each}
	</dl>
</aside>
