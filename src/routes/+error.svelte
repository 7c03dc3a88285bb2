<script lang="ts">
	import { page } from '$app/state';
</script>

<svelte:head><title>{page.status} · Sextant</title></svelte:head>
<main class="mx-auto mt-[18vh] max-w-md px-6">
	<p class="text-ink3 text-[13px]">{page.status}</p>
	<h1 class="text-[22px]">{page.error?.message}</h1>
	{#if page.error?.safe}<p class="text-ink2 mt-2">{page.error.safe}</p>{/if}
	{#if page.error?.advice}<p class="text-ink2 mt-1">{page.error.advice}</p>{/if}
	<p class="mt-4">
		<a class="btn btn-go" href={page.url.pathname.startsWith('/my') ? '/my' : '/'}>Go to the first page</a>
	</p>
</main>
