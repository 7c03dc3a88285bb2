<script lang="ts">
	/** Words that stand across a screen, faintly: whose it is, and when. They take nothing of what is pressed. */
	let { words }: { words: string } = $props();
	const ROWS = 5;
	const COLUMNS = 4;
</script>

<div class="pointer-events-none absolute inset-0 z-40 overflow-hidden select-none" aria-hidden="true">
	{#each { length: ROWS * COLUMNS }, n}
		<span
			class="absolute text-[19px] whitespace-nowrap text-[#8f9aa6] opacity-35"
			style:left="{((n % COLUMNS) * 100) / COLUMNS + (Math.floor(n / COLUMNS) % 2) * 9}%"
			style:top="{(Math.floor(n / COLUMNS) * 100) / ROWS + 6}%"
			style:transform="rotate(-18deg)">{words}</span
		>
	{/each}
</div>
