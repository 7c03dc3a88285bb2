<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';

	let { form } = $props();
</script>

<svelte:head><title>Welcome · Sextant</title></svelte:head>
<main class="mx-auto mt-[12vh] w-[380px] max-w-[92vw]">
	<h1 class="text-[20px]">Make the first operator</h1>
	<p class="text-ink2 mt-1">
		An owner, who can then add others. The server printed a code when it started; it works once.
	</p>
	<form method="POST" class="mt-4 flex flex-col gap-1">
		<Field label="Code" problem={form?.errors.code}
			>{#snippet children(p)}<input
					{...p}
					class="field font-mono"
					name="code"
					autocomplete="off"
					value={form?.code ?? ''}
				/>{/snippet}</Field
		>
		<Field label="Login" problem={form?.errors.login}
			>{#snippet children(p)}<input
					{...p}
					class="field"
					name="login"
					autocomplete="username"
					value={form?.login ?? ''}
				/>{/snippet}</Field
		>
		<Field label="Name" problem={form?.errors.name}
			>{#snippet children(p)}<input
					{...p}
					class="field"
					name="name"
					autocomplete="name"
					value={form?.name ?? ''}
				/>{/snippet}</Field
		>
		<Field label="Password" hint="at least 10 characters" problem={form?.errors.password}
			>{#snippet children(p)}<input
					{...p}
					class="field"
					type="password"
					name="password"
					autocomplete="new-password"
				/>{/snippet}</Field
		>
		<button class="btn btn-go self-start">Make the account</button>
	</form>
</main>
