<script lang="ts" module>
	import { DAY, HOUR } from '$lib/core/time/units';
	import { localMoment } from '$lib/core/time/written';
	import type { Unread } from '$lib/ui/forms/unread';

	/** How machines are taken out of use in turn, and whether that comes back by a rule: as the fields hold it. */
	export interface Turning {
		people: 'wait' | 'ask' | 'now';
		deadline: number | Unread;
		atOnce: string;
		again: boolean;
		rule: string;
		begins: string;
	}

	export const turning = (atOnce: number, known: number, zone: string): Turning => ({
		people: 'wait',
		deadline: 2 * HOUR,
		atOnce: String(atOnce),
		again: false,
		rule: 'FREQ=WEEKLY;BYDAY=SU',
		begins: `${localMoment(zone, known + DAY).slice(0, 10)}T03:00`
	});

	/** The input of the plan, or of the schedule that lets it come back. */
	export function turnsInput(
		f: Turning,
		kind: string,
		input: Record<string, unknown>,
		title: string,
		zone: string
	): Record<string, unknown> {
		const whole = {
			...input,
			people: f.people,
			...(f.people === 'ask' ? { deadline: f.deadline } : {}),
			atOnce: Number(f.atOnce)
		};
		return f.again ? { title, kind, input: whole, rule: f.rule, begins: f.begins, zone } : whole;
	}
</script>

<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import MeasureField from '$lib/ui/forms/MeasureField.svelte';
	import { SPAN } from '$lib/ui/forms/measures';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';

	interface Props {
		f: Turning;
		errors: Record<string, string>;
		zone: string;
		now: number;
	}
	let { f = $bindable(), errors, zone, now }: Props = $props();
</script>

<Field label="People who are signed in" problem={errors.people}
	>{#snippet children(p)}<select {...p} class="field" bind:value={f.people}
			><option value="wait">wait for their sign-out</option><option value="ask">ask, then sign out</option><option
				value="now">sign out at once</option
			></select
		>{/snippet}</Field
>
{#if f.people === 'ask'}<MeasureField
		label="Signed out after"
		measure={SPAN}
		problem={errors.deadline}
		bind:value={f.deadline}
	/>{/if}
<TextField label="At once, at most" problem={errors.atOnce} bind:value={f.atOnce} inputmode="numeric" />
{#if f.again}
	<TextField label="Rule" hint="RFC 5545" problem={errors.rule} bind:value={f.rule} />
	<WhenField label="First time" time {zone} {now} problem={errors.begins} bind:value={f.begins} />
{/if}
