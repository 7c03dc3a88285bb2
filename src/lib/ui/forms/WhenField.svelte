<script lang="ts">
	import { CalendarDate, parseDate } from '@internationalized/date';
	import { Calendar, Popover } from 'bits-ui';
	import { untrack } from 'svelte';
	import { dayText, localMoment, momentText, readDay, readMoment } from '$lib/core/time/written';
	import Field from './Field.svelte';

	/** A day, or a moment of a day, written as people write it or taken from a calendar; kept as ISO 8601 without a zone. */
	interface Props {
		label: string;
		/** Whether a time of day belongs to it. */
		time?: boolean;
		/** The zone that it counts in, beside the label. */
		zone: string;
		/** What it means when it is empty; without it, something has to be written. */
		empty?: string;
		now: number;
		problem?: string | undefined;
		value: string;
		/** Of a form that the browser sends. */
		name?: string;
	}
	let { label, time = false, zone, empty, now, problem, value = $bindable(), name }: Props = $props();
	const show = (v: string) => (time ? momentText(v) : dayText(v));
	let text = $state(untrack(() => show(value)));
	let open = $state(false);
	let left = $state(true);
	const local = $derived(localMoment(zone, now));
	const read = (written: string) => (time ? readMoment(written, local) : readDay(written, today));
	$effect(() => {
		const given = value;
		untrack(() => {
			if (left) text = show(given);
		});
	});
	function write() {
		left = false;
		// What cannot be read is sent as it is written: whoever reads it says what is wrong.
		value = text.trim() === '' ? '' : (read(text) ?? text);
	}
	function leave() {
		left = true;
		text = show(value);
	}
	const unread = $derived(left && value !== '' && show(value) === value);
	const today = $derived(local.slice(0, 10));
	/** The day of what is kept; none for one that no calendar has. */
	const kept = $derived(/^\d{4}-\d\d-\d\d/.test(value) ? readDay(value.slice(0, 10), today) : null);
	const chosen = $derived(kept === null ? undefined : parseDate(kept));
	function take(day: CalendarDate | undefined) {
		if (!day) return;
		value = time ? `${day.toString()}T${value.slice(11, 16) || '09:00'}` : day.toString();
		text = show(value);
		open = false;
	}
	const example = $derived(time ? 'Write a moment such as Tue 17 Nov 14:30.' : 'Write a day such as Tue 17 Nov.');
	const hint = $derived([zone, ...(empty ? [`empty: ${empty}`] : [])].join(' · '));
</script>

<Field {label} {hint} problem={problem ?? (unread ? example : undefined)}
	>{#snippet children(p)}
		<div class="relative">
			<input {...p} class="field pr-8" bind:value={text} oninput={write} onblur={leave} autocomplete="off" />
			{#if name}<input type="hidden" {name} {value} />{/if}
			<Popover.Root bind:open>
				<Popover.Trigger
					class="text-ink3 hover:text-sea absolute top-0 right-0 h-full px-2"
					aria-label="Choose from a calendar"
					><svg viewBox="0 0 16 16" width="14" height="14" aria-hidden="true"
						><path
							d="M2 3.5h12v10H2zM2 6.5h12M5 2v3M11 2v3"
							fill="none"
							stroke="currentColor"
							stroke-width="1.3"
						/></svg
					></Popover.Trigger
				>
				<Popover.Content
					sideOffset={4}
					align="end"
					class="border-hair bg-sheet z-50 rounded-md border p-2 text-[13px] shadow-lg"
				>
					<Calendar.Root
						type="single"
						weekStartsOn={1}
						locale="en-GB"
						value={chosen}
						placeholder={chosen ?? parseDate(today)}
						onValueChange={(day) => take(day as CalendarDate | undefined)}
						calendarLabel={label}
					>
						{#snippet children({ months, weekdays })}
							<Calendar.Header class="flex items-center justify-between">
								<Calendar.PrevButton class="btn btn-plain" aria-label="The month before">‹</Calendar.PrevButton>
								<Calendar.Heading class="font-semibold" />
								<Calendar.NextButton class="btn btn-plain" aria-label="The month after">›</Calendar.NextButton>
							</Calendar.Header>
							{#each months as month (month.value)}
								<Calendar.Grid class="border-collapse">
									<Calendar.GridHead
										><Calendar.GridRow
											>{#each weekdays as day, i (i)}<Calendar.HeadCell class="text-ink3 w-8 text-[12px] font-normal"
													>{day.slice(0, 2)}</Calendar.HeadCell
												>{/each}</Calendar.GridRow
										></Calendar.GridHead
									>
									<Calendar.GridBody>
										{#each month.weeks as week, i (i)}
											<Calendar.GridRow
												>{#each week as date (date.toString())}<Calendar.Cell {date} month={month.value} class="p-0"
														><Calendar.Day
															class={[
																'hover:bg-seawash data-selected:bg-sea data-outside-month:text-ink3 flex h-7 w-8 items-center justify-center rounded data-selected:text-white',
																// The estate's today, which need not be the wall's.
																date.toString() === today && 'font-bold underline'
															]}>{date.day}</Calendar.Day
														></Calendar.Cell
													>{/each}</Calendar.GridRow
											>
										{/each}
									</Calendar.GridBody>
								</Calendar.Grid>
							{/each}
						{/snippet}
					</Calendar.Root>
				</Popover.Content>
			</Popover.Root>
		</div>
	{/snippet}</Field
>
