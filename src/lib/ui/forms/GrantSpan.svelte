<script lang="ts">
	import WhenField from './WhenField.svelte';

	/** From when, and to the end of which day, a grant holds. */
	interface Props {
		zone: string;
		now: number;
		errors: Record<string, string>;
		from: string;
		to: string;
	}
	let { zone, now, errors, from = $bindable(), to = $bindable() }: Props = $props();
</script>

<WhenField label="From" {zone} {now} empty="at once" problem={errors['conditions.from']} bind:value={from} />
<WhenField label="To the end of" {zone} {now} empty="for good" problem={errors['conditions.to']} bind:value={to} />
