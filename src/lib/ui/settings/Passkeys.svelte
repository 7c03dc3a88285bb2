<script lang="ts">
	import { enhance } from '$app/forms';
	import { dayText } from '$lib/core/time/written';
	import { localMoment } from '$lib/core/time/written';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { said } from '$lib/ui/forms/passkey-words';
	import { passkeyToKeep } from '$lib/ui/portal/passkeys';

	/** An operator's passkeys, and the codes for when they are lost. */
	interface Props {
		passkeys: readonly { id: string; name: string; host: string; madeAt: number; usedAt: number | null }[];
		/** Recovery codes that are left; null: none were ever given. */
		recovery: number | null;
		zone: string;
		/** Codes that have just been made: shown this once. */
		codes?: readonly string[] | undefined;
		/** Whether there is a second factor that codes could stand for. */
		factor: boolean;
		errors: Record<string, string>;
	}
	let { passkeys, recovery, zone, codes, factor, errors }: Props = $props();
	let problem = $state('');
	const day = (at: number) => dayText(localMoment(zone, at).slice(0, 10));
</script>

<h3 class="head mt-4">Passkeys <small>sign in without a password, and count as both factors</small></h3>
<ul class="mt-1 text-[13px]" aria-label="Passkeys">
	{#each passkeys as p (p.id)}
		<li class="border-hair2 flex items-center gap-2 border-b py-1">
			<span class="flex-1"
				>{p.name}<span class="text-ink2"
					>&ensp;for {p.host}, made {day(p.madeAt)}, {p.usedAt === null
						? 'not used yet'
						: `used last ${day(p.usedAt)}`}</span
				></span
			>
			<form method="POST" action="?/remove-passkey" use:enhance>
				<input type="hidden" name="id" value={p.id} />
				<button class="btn btn-small" aria-label="Remove {p.name}">Remove</button>
			</form>
		</li>
	{:else}<li class="text-ink2">None yet.</li>{/each}
</ul>
<form
	method="POST"
	action="?/add-passkey"
	class="mt-2 flex items-start gap-2"
	use:enhance={async ({ formData, cancel }) => {
		problem = '';
		const made = await passkeyToKeep();
		if ('problem' in made) {
			problem = said(made.problem);
			return cancel();
		}
		formData.set('answer', made.answer);
		return ({ update }) => update({ reset: false });
	}}
>
	<div class="w-[220px]">
		<TextField label="Name of a new one" name="name" value="This device" problem={problem || errors.passkey} />
	</div>
	<button class="btn mt-[20px]">Add a passkey</button>
</form>
<h3 class="head mt-3">Recovery codes <small>for when the second factor is lost; each counts once</small></h3>
{#if codes}
	<div class="bg-sandwash mt-1 rounded px-3 py-2 text-[13px]" role="status">
		Write them down: they are not shown again.
		<ul class="mt-1 grid grid-cols-2 gap-x-4 font-mono" aria-label="Recovery codes">
			{#each codes as c (c)}<li>{c}</li>{/each}
		</ul>
	</div>
{/if}
<form method="POST" action="?/recovery" use:enhance class="mt-1 flex items-center gap-3">
	<span class="text-ink2 text-[13px]">{recovery === null ? 'None were made.' : `${recovery} are left.`}</span>
	<button class="btn" disabled={!factor}>{recovery === null ? 'Make codes' : 'Make new codes'}</button>
	{#if errors.recovery}<span class="text-buoy text-[12.5px]" role="alert">{errors.recovery}</span>{/if}
</form>
