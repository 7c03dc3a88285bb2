<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { toast } from 'svelte-sonner';
	import { momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import LeftOut from '$lib/ui/frame/LeftOut.svelte';
	import { addressWith } from '$lib/ui/frame/address';
	import { call, refusalWords } from '$lib/ui/plan/api';

	let { data } = $props();
	const may = $derived(data.look.live && data.mayDraft.includes('site.join'));
	let busy = $state(false);
	async function begin(site: string | null) {
		busy = true;
		const answer = await call<{ id: number }>('POST', '/joinings', { site });
		busy = false;
		if (answer.ok) await goto(`/build/sites/${answer.value.id}`);
		else toast.error(answer.refusal.title, { description: refusalWords(answer.refusal) });
	}
</script>

<h1 class="sr-only">Sites</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	<LeftOut left={data.left} of="sites" />
	<div class="flex items-baseline">
		<h2 class="head">
			Sites that run machines <small>looked at every five minutes, from where the machines are</small>
		</h2>
		{#if may}<button class="btn btn-go ml-auto" disabled={busy} onclick={() => begin(null)}>Join up a site</button>{/if}
	</div>
	{#if data.sites.length}
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>site</th><th>provider</th><th class="num">hosts</th><th class="num">machines</th><th>checks</th><th
						>what fails</th
					><th><span class="sr-only">actions</span></th></tr
				></thead
			>
			<tbody>
				{#each data.sites as p (p.id)}
					{@const failing = p.checks.filter((c) => c.ok === false)}
					<tr>
						<td
							><a
								class="link font-semibold"
								href={addressWith(page.url, { card: `site/${p.id}` })}
								data-sveltekit-noscroll>{p.name}</a
							><span class="text-ink3 block text-[12.5px]">{p.kind}, {p.zone}</span></td
						>
						<td class="font-mono text-[12px]">{p.address ?? '–'}</td>
						<td class="num">{p.hosts}</td>
						<td class="num">{p.machines}</td>
						<td class="whitespace-nowrap"
							>{#if p.checks.length === 0}<span class="text-ink3">not looked at yet</span>{:else}<span
									class={['pill', failing.length ? 'pill-buoy' : 'pill-kelp']}
									>{p.checks.filter((c) => c.ok).length} of {p.checks.length} pass</span
								>{/if}</td
						>
						<td class="max-w-[420px]"
							>{#each failing as c (c.name)}<p>
									{data.asks.find((a) => a.name === c.name)?.asks} <span class="text-buoy">{c.saw}</span>
									<span class="text-ink3">since {momentWords(data.zone, c.since)}.</span>
									{c.remedy}
								</p>{:else}<span class="text-ink3">nothing</span>{/each}</td
						>
						<td class="num"
							>{#if may}<button class="btn" disabled={busy} onclick={() => begin(p.id)} aria-label="Renew {p.name}"
									>Renew</button
								>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}<p class="text-ink2 mt-1 text-[13.5px]">
			No site is joined up yet. A site is where hosts run machines: its compute provider, its networks, and the folder
			for its computer accounts.
		</p>{/if}

	{#if data.joinings.length}
		<h2 class="head mt-5">On their way</h2>
		<table class="grid-table mt-1">
			<thead><tr><th>what</th><th>begun</th><th>by</th><th><span class="sr-only">actions</span></th></tr></thead>
			<tbody>
				{#each data.joinings as j (j.id)}
					<tr>
						<td>{j.site ? `Renewal of ${j.site}` : 'New site'}: {j.words}</td>
						<td>{momentWords(data.zone, j.since)}</td>
						<td>{j.by}</td>
						<td class="num"><a class="link" href="/build/sites/{j.id}">{may ? 'Go on' : 'Look'}</a></td>
					</tr>
				{/each}
			</tbody>
		</table>
	{/if}

	{#if data.lab.length}
		<aside class="bg-plumwash mt-5 max-w-[760px] rounded-md px-3 py-2 text-[13px]" aria-label="The lab">
			{#each data.lab as p (p.id)}<p>
					The lab has one more site, {p.name}, that nobody has joined up: its provider answers at
					<span class="font-mono text-[12px]">{p.address}</span>, to the account
					<span class="font-mono text-[12px]">{p.account}</span>; the directory lets
					<span class="font-mono text-[12px]">{p.joinAccount}</span> make computer accounts. Every secret is
					<span class="font-mono text-[12px]">{p.secret}</span>. The provider itself shows the certificate
					<span class="font-mono text-[12px]">{p.fingerprint.slice(0, 48)}<wbr />{p.fingerprint.slice(48)}</span>.
				</p>{/each}
		</aside>
	{/if}
</div>
