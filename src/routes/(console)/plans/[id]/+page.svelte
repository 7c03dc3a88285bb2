<script lang="ts">
	import { momentWords } from '$lib/core/time/zone';
	import Consent from '$lib/ui/plan/Consent.svelte';
	import Effects from '$lib/ui/plan/Effects.svelte';

	let { data } = $props();
</script>

<div class="max-w-[760px] px-[18px] py-3">
	<p class="text-ink3 text-[13px]">
		plan {data.shown.id}, {data.shown.state}, drafted by {data.shown.by}, computed {momentWords(
			data.zone,
			data.shown.at
		)}{#if data.shown.jobId}&ensp;· <a class="link" href="/jobs/{data.shown.jobId}">job {data.shown.jobId}</a>{/if}
	</p>
	<h1 class="mb-3 text-[19px]">{data.shown.title}</h1>
	{#if data.consent}<Consent
			plan={data.shown.id}
			consent={data.consent}
			zone={data.zone}
			emergency={data.mayCommit.includes('emergency')}
		/>{/if}
	<Effects plan={data.shown} zone={data.zone} />
</div>
