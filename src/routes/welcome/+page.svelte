<script lang="ts">
	import TextField from '$lib/ui/forms/TextField.svelte';

	let { form } = $props();
</script>

<svelte:head><title>Welcome · Sextant</title></svelte:head>
<main class="mx-auto mt-[12vh] w-[380px] max-w-[92vw]">
	<h1 class="text-[20px]">Make the first operator</h1>
	<p class="text-ink2 mt-1">
		An owner, who can then add others. The server printed a code when it started; it works once.
	</p>
	<form method="POST" class="mt-4 flex flex-col gap-1">
		<TextField label="Code" problem={form?.errors.code} name="code" autocomplete="off" value={form?.code ?? ''} />
		<TextField
			label="Login"
			problem={form?.errors.login}
			name="login"
			autocomplete="username"
			value={form?.login ?? ''}
		/>
		<TextField label="Name" problem={form?.errors.name} name="name" autocomplete="name" value={form?.name ?? ''} />
		<TextField
			label="Password"
			hint="at least 10 characters"
			problem={form?.errors.password}
			type="password"
			name="password"
			autocomplete="new-password"
		/>
		<button class="btn btn-go self-start">Make the account</button>
	</form>
</main>
