<script lang="ts">
	import { goto } from '$app/navigation';
	import { call } from '$lib/ui/plan/api';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	const parts = [
		{ id: 'before', words: 'Inventory before', hint: '.jsonl' },
		{ id: 'after', words: 'Inventory after', hint: '.jsonl' },
		{ id: 'folder', words: 'The folder itself', hint: '.tar or .tar.gz, to make a package' },
		{ id: 'idle-1', words: 'Idle, first', hint: 'to learn noise' },
		{ id: 'idle-2', words: 'Idle, second', hint: 'with nothing installed between' }
	] as const;
	let name = $state('');
	let files: Record<string, File | undefined> = $state({});
	let errors: Record<string, string> = $state({});
	let busy = $state('');
	/** The capture that is under way, and what it has been given already. */
	let capture: number | null = $state(null);
	let given: Record<string, File> = {};

	async function bring(e: SubmitEvent) {
		e.preventDefault();
		errors = {};
		for (const need of ['before', 'after'] as const)
			if (!files[need]) errors[need] = 'It takes an inventory before and one after.';
		if (Object.keys(errors).length) return;
		if (capture === null) {
			const begun = await call<{ id: number }>('POST', '/captures', { name });
			if (!begun.ok) {
				errors = Object.fromEntries(begun.refusal.errors.map((x) => [x.field, x.words]));
				return;
			}
			capture = begun.value.id;
		}
		for (const p of parts) {
			const file = files[p.id];
			if (!file || given[p.id] === file) continue;
			busy = `${file.name} is being read …`;
			const response = await fetch(`/api/v1/captures/${capture}/files/${p.id}`, {
				method: 'POST',
				// Without a type the server would take it that there is no body.
				headers: { 'content-type': 'application/octet-stream' },
				body: file
			});
			if (!response.ok) {
				const refusal = (await response.json()) as { detail: string };
				errors = { [p.id]: refusal.detail };
				busy = '';
				return;
			}
			given[p.id] = file;
		}
		busy = 'They are being compared …';
		const compared = await call('POST', `/captures/${capture}/compare`);
		busy = '';
		if (compared.ok) await goto(`/publish/packages/${capture}`);
		else errors = { form: compared.refusal.detail };
	}
</script>

<form class="mt-2 grid max-w-[1000px] grid-cols-3 gap-x-4" onsubmit={bring} novalidate>
	<TextField label="Name of the app" problem={errors.name} bind:value={name} />
	{#each parts as p (p.id)}
		<Field label={p.words} hint={p.hint} problem={errors[p.id]}
			>{#snippet children(f)}<input
					{...f}
					type="file"
					class="file-field w-full py-1"
					onchange={(e) => (files[p.id] = e.currentTarget.files?.[0])}
				/>{/snippet}</Field
		>
	{/each}
	<div class="col-span-full flex items-center gap-3">
		<button class="btn" disabled={busy !== ''}>Compare them</button>
		{#if busy}<span class="text-ink2 text-[13px]" role="status">{busy}</span>{/if}
		{#if errors.form}<p class="text-buoy text-[13px]" role="alert">{errors.form}</p>{/if}
	</div>
</form>
