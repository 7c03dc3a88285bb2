<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';

	let { data, form } = $props();
</script>

<svelte:head><title>Sign in · Sextant</title></svelte:head>
<main class="mx-auto mt-[12vh] w-[360px] max-w-[92vw]">
	<h1 class="text-[22px]">Your desktops and apps</h1>
	<form method="POST" class="mt-5 flex flex-col gap-1.5">
		<Field label="Login" problem={undefined}
			>{#snippet children(p)}<input
					{...p}
					class="field py-2 text-[16px]"
					name="login"
					autocomplete="username"
					value={form?.login ?? ''}
				/>{/snippet}</Field
		>
		<Field label="Password" problem={form?.problem}
			>{#snippet children(p)}<input
					{...p}
					class="field py-2 text-[16px]"
					type="password"
					name="password"
					autocomplete="current-password"
				/>{/snippet}</Field
		>
		<button class="btn btn-go justify-center py-2 text-[15px]">Sign in</button>
	</form>
	{#if data.demo}<p class="text-ink2 mt-6 text-[13px]">
			In the demo everybody’s password is <span class="font-mono">tideline</span>; try
			<span class="font-mono">alindqvist</span>.
		</p>{/if}
</main>
