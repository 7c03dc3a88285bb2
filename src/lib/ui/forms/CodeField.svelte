<script lang="ts">
	import TextField from './TextField.svelte';

	/** The six digits of a second factor. */
	let { label, problem }: { label: string; problem?: string | undefined } = $props();
</script>

<div class="w-[190px]">
	<TextField {label} {problem} name="code" inputmode="numeric" autocomplete="one-time-code" />
</div>
