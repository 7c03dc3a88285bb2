<script lang="ts">
	import { untrack } from 'svelte';
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { partedAt } from '$lib/core/settings/rows';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { findPeople, findSettled } from '$lib/ui/forms/finding';
	import { addressWith } from '$lib/ui/frame/address';

	/** For whom settings are looked at: an endpoint, a machine or a branch; or somebody, and then in which pool. */
	interface Props {
		reaches: readonly { id: string; name: string; sub: string }[];
		asked: { of: string; with: string; then: string };
		/** How what is asked for is called. */
		names: { of: string | null; with: string | null };
		list: 'effective' | 'compare';
	}
	let { reaches, asked, names, list }: Props = $props();
	const parted = (of: string) => {
		const { what, on } = partedAt(of);
		return what.startsWith('person/') ? { what: '', person: what.slice(7), on } : { what, person: '', on: '' };
	};
	const f = $state(untrack(() => ({ here: parted(asked.of), there: parted(asked.with), then: asked.then, wrong: '' })));
	const pools = $derived(reaches.filter((r) => r.id.startsWith('pool/')));
	const branches = $derived(reaches.filter((r) => r.id.startsWith('branch/')));
	const find = async (text: string) => [
		...branches.filter((b) => b.name.toLowerCase().includes(text.trim().toLowerCase())).slice(0, 10),
		...(await findSettled(text))
	];
	const said = (x: { what: string; person: string; on: string }) =>
		x.what || (x.person && x.on ? `person/${x.person}@${x.on}` : '');
	function look(e: SubmitEvent) {
		e.preventDefault();
		const of = said(f.here);
		f.wrong = of ? '' : 'Choose a device, a machine or a branch, or somebody and a pool.';
		if (of)
			void goto(
				addressWith(page.url, {
					of,
					with: list === 'compare' ? said(f.there) || null : null,
					then: list === 'compare' ? f.then || null : null
				}),
				{ keepFocus: true }
			);
	}
</script>

<form class="mt-2 grid grid-cols-[1fr_1fr_1fr_auto] items-end gap-x-4" onsubmit={look} novalidate>
	{@render whose(f.here, list === 'compare' ? 'First' : 'Of', names.of)}
	{#if list === 'effective'}<button class="btn btn-sea mb-2">Look</button>{:else}<span></span>
		{@render whose(f.there, 'Second', names.with)}<button class="btn btn-sea mb-2">Compare</button>
		<TextField
			label="The second at another moment"
			placeholder="2026-11-16T12:00Z"
			hint="empty: the same; without a second: the first as it was then"
			bind:value={f.then}
		/>{/if}
</form>
{#if f.wrong}<p role="alert" class="text-buoy mb-2 text-[13px]">{f.wrong}</p>{/if}

{#snippet whose(x: { what: string; person: string; on: string }, words: string, name: string | null)}
	<PickField
		label="{words}: device, machine or branch"
		options={find}
		none="nobody’s"
		called={name ?? x.what}
		bind:value={x.what}
	/>
	<PickField
		label="{words}: or a person"
		options={findPeople}
		none="nobody"
		called={name ?? x.person}
		bind:value={x.person}
	/>
	<PickField label="{words}: in the pool" options={pools} none="none" bind:value={x.on} />
{/snippet}
