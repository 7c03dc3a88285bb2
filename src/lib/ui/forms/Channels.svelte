<script lang="ts">
	import { CHANNELS } from '$lib/core/access/decide';

	/** What a session passes through between it and the device in front of a person. */
	let { channels = $bindable() }: { channels: string[] } = $props();
</script>

<div class="flex flex-wrap gap-x-4 text-[13px]">
	{#each CHANNELS as c (c)}<label class="flex items-center gap-1"
			><input type="checkbox" value={c} bind:group={channels} />{c}</label
		>{/each}
</div>
