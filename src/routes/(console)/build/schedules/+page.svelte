<script lang="ts">
	import { untrack } from 'svelte';
	import { DAY } from '$lib/core/time/units';
	import { localMoment } from '$lib/core/time/written';
	import { momentWords } from '$lib/core/time/zone';
	import BuildNav from '$lib/ui/build/BuildNav.svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import WhenField from '$lib/ui/forms/WhenField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
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
	const form = new PlanForm({
		kind: 'schedule.add',
		start: untrack(() => ({
			title: '',
			line: data.lines[0]?.id ?? '',
			rule: usual[0]!.rule,
			begins: `${localMoment(data.homeZone, data.look.known + DAY).slice(0, 10)}T22:00`,
			zone: data.homeZone
		})),
		input: (f) => ({
			title: f.title,
			kind: 'image.rebuild',
			input: { line: f.line },
			rule: f.rule,
			begins: f.begins,
			zone: f.zone
		}),
		beside: (path) => (path === 'input.line' ? 'line' : path)
	});
	const f = form.f;
	const errors = $derived(form.errors);
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
		<form class="mt-2 grid max-w-[900px] grid-cols-3 gap-x-4" onsubmit={form.submit} novalidate>
			<TextField label="Name" problem={errors.title} bind:value={f.title} placeholder="Patch night" />
			<Field label="Image line" problem={errors.line}
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
			<WhenField
				label="First time"
				time
				zone={f.zone}
				now={data.look.known}
				problem={errors.begins}
				bind:value={f.begins}
			/>
			<TextField label="Time zone" problem={errors.zone} bind:value={f.zone} />
			<div class="col-span-full"><FormEnd {form} words="Plan the schedule" /></div>
		</form>
	{/if}
</div>
