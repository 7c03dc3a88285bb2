<script lang="ts">
	import { durationWords } from '$lib/core/time/units';
	import { momentWords } from '$lib/core/time/zone';

	let { data } = $props();
	const tone = {
		done: 'pill-kelp',
		failed: 'pill-buoy',
		cancelled: 'pill-sand',
		running: 'pill-sea',
		queued: 'pill-sea',
		waiting: 'pill-plum'
	};
</script>

<h1 class="sr-only">Jobs</h1>
<div class="px-[18px] py-3">
	<h2 class="head">Jobs <small>newest first; each began as a plan</small></h2>
	<table class="grid-table mt-1">
		<thead><tr><th>job</th><th>what</th><th>by</th><th>begun</th><th>state</th><th class="num">took</th></tr></thead>
		<tbody>
			{#each data.list as j (j.id)}
				<tr>
					<td class="text-ink3">{j.id}</td>
					<td><a class="link" data-row href="/jobs/{j.id}">{j.title}</a></td>
					<td>{j.by}</td>
					<td
						>{j.state === 'waiting'
							? `at ${momentWords(data.zone, j.notBefore)}`
							: momentWords(data.zone, j.began ?? j.madeAt)}</td
					>
					<td
						><span class={['pill', tone[j.state]]}
							>{j.state}{j.state === 'running' ? ` ${Math.round(j.progress * 100)} %` : ''}</span
						></td
					>
					<td class="num">{j.ended && j.began ? durationWords(j.ended - j.began) : ''}</td>
				</tr>
			{:else}<tr><td colspan="6" class="text-ink2 py-4">No job yet. Commit a plan, and it is carried out here.</td></tr
				>{/each}
		</tbody>
	</table>
</div>
