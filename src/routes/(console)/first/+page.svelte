<script lang="ts">
	import { page } from '$app/state';
	import { countWords } from '$lib/core/time/units';
	import { addressWith } from '$lib/ui/frame/address';
	import PlanButton from '$lib/ui/plan/PlanButton.svelte';

	let { data } = $props();
	const done = $derived(data.steps.filter((s) => s.state === 'done').length);
	const STATES = { done: 'done', 'under way': 'under way', open: 'can be done now', blocked: 'waits' } as const;
	const MARKS = { done: '✓', 'under way': '…', open: '○', blocked: '·' } as const;
</script>

<div class="max-w-[860px] px-[18px] py-3">
	<h1 class="head">
		First desktop <small
			>{done === data.steps.length
				? 'somebody is at work: nothing is left to do here'
				: `${done} of ${countWords(data.steps.length, 'step')} done; what is there counts, whoever made it, and it can be left and taken up again`}</small
		>
	</h1>
	{#if !data.look.live}<p class="text-ink2 mt-1 text-[13px]">
			This way is of the present, whatever moment is looked at.
		</p>{/if}
	<ol class="mt-2">
		{#each data.steps as s, i (s.name)}
			{@const next = s.name === data.next}
			<li
				class={[
					'border-hair2 grid grid-cols-[34px_minmax(0,1fr)_auto] gap-3 border-b py-[11px]',
					next && 'bg-sheet border-l-sea -ml-[18px] border-l-[3px] pl-[15px]'
				]}
				aria-current={next ? 'step' : undefined}
			>
				<span
					class={['text-right text-[17px] leading-[1.3]', s.state === 'done' ? 'text-kelp' : 'text-ink3']}
					aria-hidden="true">{MARKS[s.state]}</span
				>
				<div>
					<h2 class={['text-[14.5px]', s.state === 'blocked' && 'text-ink2']}>
						{i + 1}. {s.title}
						<span class="text-ink3 text-[12.5px] font-normal">{next ? 'next' : STATES[s.state]}</span>
					</h2>
					<ul class="text-ink2 mt-0.5 text-[13px]">
						{#each s.facts as f, n (n)}
							<li>
								{#if f.about}<a
										class="link"
										href={addressWith(page.url, { card: `${f.about.kind}/${f.about.id}` })}
										data-sveltekit-noscroll>{f.words}</a
									>{:else}{f.words}{/if}{#if f.source && s.state !== 'blocked'}&ensp;<span class="text-ink3"
										>{f.source}</span
									>{/if}
							</li>
						{/each}
						{#if s.name === 'work' && s.state === 'open'}<li>
								They sign in with their login and the password that the directory knows{data.lab
									? '; in the lab it is tideline for everybody'
									: ''}.
							</li>{/if}
					</ul>
				</div>
				<div class="flex max-w-[250px] flex-wrap items-start justify-end gap-2">
					{#each s.offers as o, n (o.words)}
						{#if 'kind' in o}
							{#if data.look.live && data.mayDraft.includes(o.kind)}
								<PlanButton kind={o.kind} input={o.input} words={o.words} main={next && n === 0} />
							{/if}
						{:else}
							<a class={['btn', next && n === 0 && 'btn-go']} href={o.href}>{o.words}</a>
						{/if}
					{/each}
				</div>
			</li>
		{/each}
	</ol>
</div>
