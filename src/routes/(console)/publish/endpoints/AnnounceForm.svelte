<script lang="ts">
	import { countWords } from '$lib/core/time/units';
	import { readSerials } from '$lib/core/endpoints/announced';
	import Field from '$lib/ui/forms/Field.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** Announces devices that are to come: their serial numbers as they stand on a delivery note, or in a table. */
	interface Props {
		sites: { id: string; name: string; zone: string }[];
		now: number;
		close: string;
	}
	let { sites, now, close }: Props = $props();
	/** Lines that are said to be wrong, one by one. */
	const SAID = 6;
	const form = new PlanForm({
		kind: 'endpoint.announce',
		start: { site: '', from: '', text: '' },
		input: (f) => ({ site: f.site || null, from: f.from, serials: readSerials(f.text).serials }),
		wrong: (f) => {
			const { serials, problems } = readSerials(f.text);
			const more = problems.length - SAID;
			return {
				...(f.from ? {} : { from: 'Choose a day.' }),
				...(problems.length
					? {
							serials: [
								...problems.slice(0, SAID).map((p) => `Line ${p.line}: ${p.words}`),
								...(more > 0 ? [`And ${countWords(more, 'more line')}.`] : [])
							].join(' ')
						}
					: serials.length
						? {}
						: { serials: 'Write serial numbers, one on a line.' })
			};
		},
		beside: (path) => (path.startsWith('serials') ? 'serials' : path),
		parts: { make: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const zone = $derived(sites.find((s) => s.id === f.site)?.zone ?? 'Etc/UTC');
	const count = $derived(readSerials(f.text).serials.length);
	let unread = $state('');

	async function read(e: Event & { currentTarget: HTMLInputElement }) {
		const file = e.currentTarget.files?.[0];
		unread = '';
		if (!file) return;
		if (file.size > 1_000_000)
			return void (unread = `${file.name} is larger than 1 MB: a list of serial numbers is not.`);
		try {
			// What is no UTF-8 is said rather than read wrongly.
			f.text = new TextDecoder('utf-8', { fatal: true }).decode(await file.arrayBuffer());
		} catch {
			unread = `${file.name} is no text in UTF-8.`;
		}
	}
</script>

<h2 class="head">
	Announce endpoints <small>what has not called in a day after it was to come stands on Today</small>
</h2>
<form class="mt-2 grid grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="For" problem={errors.site}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.site}
				><option value="">any site</option>{#each sites as s (s.id)}<option value={s.id}>{s.name}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<WhenField label="Expected from" {zone} {now} problem={errors.from} bind:value={f.from} />
	<Field label="From a file" hint="text or CSV, UTF-8" problem={unread || undefined}
		>{#snippet children(p)}<input
				{...p}
				type="file"
				accept=".csv,.txt,text/*"
				class="field"
				onchange={read}
			/>{/snippet}</Field
	>
	<div class="col-span-3">
		<Field
			label="Serial numbers"
			hint={count ? countWords(count, 'serial number') : 'one on a line, or a table with a column serial'}
			problem={errors.serials}
			>{#snippet children(p)}<textarea
					{...p}
					class="field h-24 font-mono text-[12.5px]"
					maxlength="1000000"
					bind:value={f.text}></textarea>{/snippet}</Field
		>
	</div>
	<div class="col-span-3"><FormEnd {form} words="Plan to announce them" {close} /></div>
</form>
