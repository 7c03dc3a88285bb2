<script lang="ts">
	import { untrack } from 'svelte';
	import { DateTime } from 'luxon';
	import { momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { draftFrom } from '$lib/ui/plan/draft';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	const may = (kind: string) => data.look.live && data.mayDraft.includes(kind);
	const usual = [
		{ words: 'every month on the second Tuesday', rule: 'FREQ=MONTHLY;BYDAY=2TU' },
		{
			words: 'every month on the day after the second Tuesday',
			rule: 'FREQ=MONTHLY;BYDAY=WE;BYMONTHDAY=9,10,11,12,13,14,15'
		},
		{ words: 'every week on Sunday', rule: 'FREQ=WEEKLY;BYDAY=SU' },
		{ words: 'every day', rule: 'FREQ=DAILY' }
	];
	let f = $state(
		untrack(() => ({
			title: '',
			line: data.lines[0]?.id ?? '',
			rule: usual[0]!.rule,
			begins: `${DateTime.fromMillis(data.look.known, { zone: data.homeZone }).plus({ days: 1 }).toFormat('yyyy-MM-dd')}T22:00`,
			zone: data.homeZone
		}))
	);
	let errors: Record<string, string> = $state({});
	async function plan(e: SubmitEvent) {
		e.preventDefault();
		errors = await draftFrom('schedule.add', {
			title: f.title,
			kind: 'image.rebuild',
			input: { line: f.line },
			rule: f.rule,
			begins: f.begins,
			zone: f.zone
		});
	}
</script>

<h1 class="sr-only">Schedules</h1>
<div class="px-[18px] py-3">
	<BuildNav />
	<div class="flex items-baseline">
		<h2 class="head">
			What comes back by itself <small>each time its plan is computed anew, and is not done when it is blocked</small>
		</h2>
		<a class="link ml-auto text-[13px]" href="/api/v1/calendar.ics">as a calendar (.ics)</a>
	</div>
	{#if data.schedules.length}
		<table class="grid-table mt-1">
			<thead
				><tr
					><th>what</th><th>when</th><th>due next</th><th>last time</th><th><span class="sr-only">actions</span></th
					></tr
				></thead
			>
			<tbody>
				{#each data.schedules as s (s.id)}
					{@const last = s.runs[0]}
					<tr>
						<td
							><b class="font-semibold">{s.title}</b><span class="text-ink3 block text-[12.5px]"
								>{s.kind}, set by {s.by}</span
							></td
						>
						<td>{s.words}<span class="text-ink3 block font-mono text-[12px]">{s.rule}</span></td>
						<td>{s.next.length ? momentWords(s.zone, s.next[0]!) : 'never again'}</td>
						<td
							>{#if !last}<span class="text-ink3">not yet</span>{:else if last.jobId}<a
									class="link"
									href="/jobs/{last.jobId}">{last.state}</a
								>{:else}<span class="text-buoy">{last.refused ?? 'being planned'}</span>{/if}</td
						>
						<td class="num"
							>{#if may('schedule.remove')}<PlanButton
									kind="schedule.remove"
									input={{ schedule: s.id }}
									words="Take it off"
								/>{/if}</td
						>
					</tr>
				{/each}
			</tbody>
		</table>
	{:else}<p class="text-ink2 mt-1 text-[13.5px]">
			Nothing comes back by itself yet. A line can be rebuilt with the month’s updates by itself: the new version is
			held, tried on a machine, and asks for release.
		</p>{/if}

	{#if may('schedule.add')}
		<h2 class="head mt-6">Rebuild a line with updates, again and again</h2>
		<form class="mt-2 grid max-w-[900px] grid-cols-3 gap-x-4" onsubmit={plan} oninput={() => (errors = {})} novalidate>
			<TextField label="Name" problem={errors.title} bind:value={f.title} placeholder="Patch night" />
			<Field label="Image line" problem={errors.line ?? errors['input.line']}
				>{#snippet children(p)}<select {...p} class="field" bind:value={f.line}
						>{#each data.lines as l (l.id)}<option value={l.id}>{l.name}</option>{/each}</select
					>{/snippet}</Field
			>
			<Field label="How often" problem={undefined}
				>{#snippet children(p)}<select
						{...p}
						class="field"
						onchange={(e) => e.currentTarget.value && (f.rule = e.currentTarget.value)}
						>{#each usual as u (u.rule)}<option value={u.rule} selected={u.rule === f.rule}>{u.words}</option
							>{/each}<option value="" selected={!usual.some((u) => u.rule === f.rule)}
							>by the rule written below</option
						></select
					>{/snippet}</Field
			>
			<TextField label="Rule" hint="RFC 5545" problem={errors.rule} bind:value={f.rule} />
			<TextField label="First time" hint="local" problem={errors.begins} bind:value={f.begins} type="datetime-local" />
			<TextField label="Time zone" problem={errors.zone} bind:value={f.zone} />
			<div class="col-span-full mt-2 flex items-center gap-3">
				<button class="btn btn-go">Plan the schedule</button>
				{#if errors.form}<p class="text-buoy text-[13px]" role="alert">{errors.form}</p>{/if}
			</div>
		</form>
	{/if}
</div>
