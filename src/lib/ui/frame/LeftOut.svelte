<script lang="ts">
	/** Says which terms of the scope mean nothing for what is shown, and are therefore left out. */
	let { left, of }: { left: string[]; of: string } = $props();
</script>

{#if left.length}<p class="text-sand text-[12.5px]">
		“{left.join('”, “')}” says nothing of {of} and is left out here.
	</p>{/if}
