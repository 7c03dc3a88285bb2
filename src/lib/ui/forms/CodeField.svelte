<script lang="ts">
	import TextField from './TextField.svelte';

	/** The six digits of a second factor; `letters`: or a recovery code, which has some. */
	interface Props {
		label: string;
		problem?: string | undefined;
		letters?: boolean;
	}
	let { label, problem, letters = false }: Props = $props();
</script>

<div class={letters ? 'w-[230px]' : 'w-[190px]'}>
	<TextField
		{label}
		{problem}
		name="code"
		inputmode={letters ? 'text' : 'numeric'}
		autocapitalize="none"
		autocomplete="one-time-code"
	/>
</div>
