<script lang="ts">
	/** What a screen shows, fetched again every few seconds until it may be looked at no longer. */
	interface Props {
		href: string;
		alt: string;
	}
	let { href, alt }: Props = $props();

	const EVERY = 2000;
	let n = $state(0);
	let over = $state(false);
	$effect(() => {
		if (over) return;
		const timer = setInterval(() => n++, EVERY);
		return () => clearInterval(timer);
	});
</script>

{#if over}<p class="text-ink2 mt-1 text-[13px]">It may be looked at no longer: ask again.</p>
{:else}<img
		class="border-hair mt-1 w-full border"
		src={`${href}?n=${n}`}
		{alt}
		width="1280"
		height="720"
		onerror={() => (over = true)}
	/>{/if}
