<script lang="ts">
	import { page } from '$app/state';
	import { addressWith } from '$lib/ui/frame/address';
	import { durationWords } from '$lib/core/time/units';
	import { PHASE_WORDS, type Phase } from '$lib/core/watch/phases';

	interface Props {
		phases: Phase[];
		usual: Record<string, number>;
	}
	let { phases, usual }: Props = $props();
	const total = $derived(
		Math.max(
			1,
			phases.reduce((n, p) => n + p.ms, 0)
		)
	);
	const starts = $derived(phases.map((_p, i) => phases.slice(0, i).reduce((n, q) => n + q.ms, 0)));
	const odd = (p: Phase) => usual[p.name] !== undefined && p.ms > usual[p.name]! * 1.5 && p.ms - usual[p.name]! > 3000;
</script>

<ol class="mt-1 flex flex-col gap-1 text-[13px]">
	{#each phases as p, i (p.name)}
		<li>
			<div class="flex justify-between">
				<span class={odd(p) ? 'text-buoy font-semibold' : ''}>{PHASE_WORDS[p.name]}</span>
				<span class="text-ink2">{durationWords(p.ms)}{odd(p) ? `, usually ${durationWords(usual[p.name]!)}` : ''}</span>
			</div>
			<div class="bg-hair2 relative h-[7px] rounded">
				<span
					class={['absolute h-[7px] rounded', odd(p) ? 'bg-buoy' : 'bg-sea2']}
					style="left:{(100 * starts[i]!) / total}%;width:{Math.max(0.5, (100 * p.ms) / total)}%"
				></span>
				{#if usual[p.name] !== undefined}<span
						class="bg-ink absolute top-[2.5px] h-[2px]"
						style="left:{(100 * starts[i]!) / total}%;width:{Math.min(
							100 - (100 * starts[i]!) / total,
							(100 * usual[p.name]!) / total
						)}%"
					></span>{/if}
			</div>
			{#if odd(p) && p.parts}
				<ul class="text-ink2 mt-0.5 pl-3 text-[12.5px]">
					{#each p.parts as part (part.name)}<li>
							<div class="flex justify-between">
								{#if part.group}<a class="link" href={addressWith(page.url, { card: `settings-group/${part.group}` })}
										>{part.name}</a
									>{:else}<span>{part.name}</span>{/if}<span>{durationWords(part.ms)}</span>
							</div>
							{#if part.parts && part.parts.length > 0 && part.ms > 1000}<ul class="pl-3">
									{#each part.parts.slice(0, 3) as inner (inner.name)}<li class="flex justify-between">
											<span>{inner.name}</span><span>{durationWords(inner.ms)}</span>
										</li>{/each}
								</ul>{/if}
						</li>{/each}
				</ul>
			{/if}
		</li>
	{/each}
</ol>
