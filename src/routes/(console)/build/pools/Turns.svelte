<script lang="ts" module>
	import { DateTime } from 'luxon';
	import { parseDuration } from '$lib/core/time/units';
	import { draftFrom } from '$lib/ui/plan/draft';

	/** How machines are taken out of use in turn, and whether that comes back by a rule: as typed. */
	export interface TurnsForm {
		people: 'wait' | 'ask' | 'now';
		deadline: string;
		atOnce: string;
		again: boolean;
		rule: string;
		begins: string;
	}

	export const turnsForm = (atOnce: number, known: number, zone: string): TurnsForm => ({
		people: 'wait',
		deadline: '2 h',
		atOnce: String(atOnce),
		again: false,
		rule: 'FREQ=WEEKLY;BYDAY=SU',
		begins: `${DateTime.fromMillis(known, { zone }).plus({ days: 1 }).toFormat('yyyy-MM-dd')}T03:00`
	});

	/** Drafts the plan, or the schedule that lets it come back. Returns what is wrong, by field. */
	export async function draftTurns(
		f: TurnsForm,
		kind: string,
		input: Record<string, unknown>,
		title: string,
		zone: string
	): Promise<Record<string, string>> {
		const deadline = parseDuration(f.deadline);
		if (f.people === 'ask' && deadline === null) return { deadline: 'Write a duration such as 2 h.' };
		const whole = {
			...input,
			people: f.people,
			...(deadline === null ? {} : { deadline }),
			atOnce: Number(f.atOnce)
		};
		return f.again
			? draftFrom('schedule.add', { title, kind, input: whole, rule: f.rule, begins: f.begins, zone })
			: draftFrom(kind, whole);
	}
</script>

<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	interface Props {
		f: TurnsForm;
		errors: Record<string, string>;
		zone: string;
	}
	let { f = $bindable(), errors, zone }: Props = $props();
</script>

<Field label="People who are signed in" problem={errors.people}
	>{#snippet children(p)}<select {...p} class="field" bind:value={f.people}
			><option value="wait">wait for their sign-out</option><option value="ask">ask, then sign out</option><option
				value="now">sign out at once</option
			></select
		>{/snippet}</Field
>
{#if f.people === 'ask'}<TextField label="Signed out after" problem={errors.deadline} bind:value={f.deadline} />{/if}
<TextField label="At once, at most" problem={errors.atOnce} bind:value={f.atOnce} inputmode="numeric" />
{#if f.again}
	<TextField label="Rule" hint="RFC 5545" problem={errors.rule} bind:value={f.rule} />
	<TextField label="First time" hint={zone} problem={errors.begins} bind:value={f.begins} type="datetime-local" />
{/if}
