<script lang="ts">
	import { enhance } from '$app/forms';
	import TextField from './TextField.svelte';

	/** Changes the password of whoever is signed in, at the page's action `password`; what is wrong stands beside its field. */
	interface Props {
		problems: Readonly<Record<string, string>>;
	}
	let { problems }: Props = $props();
</script>

<form method="POST" action="?/password" use:enhance class="mt-1 flex flex-wrap items-start gap-2">
	<TextField
		label="The one that you have"
		type="password"
		name="before"
		autocomplete="current-password"
		problem={problems.before}
	/>
	<TextField label="The new one" type="password" name="next" autocomplete="new-password" problem={problems.next} />
	<button class="btn mt-[20px]">Change it</button>
</form>
