<script lang="ts">
	import { page } from '$app/state';
	import { addressWith } from './address';
	import { STAGES, stagePath } from './stages';

	interface Props {
		who: { name: string; role: string; part: string };
		jobs: { id: number; progress: number }[];
		notices: { id: number; title: string; good: boolean; jobId: number }[];
		openMenu: () => void;
		seen: () => void;
	}
	let { who, jobs, notices, openMenu, seen }: Props = $props();
	const progress = $derived(jobs.length ? jobs.reduce((n, j) => n + j.progress, 0) / jobs.length : 0);
	const here = $derived(stagePath(page.url.pathname));
	let belling = $state(false);
</script>

<header class="bg-deck text-decktext flex items-stretch gap-0.5 px-4">
	<a href={addressWith(page.url, {}, '/')} class="mr-4 flex items-center gap-2 text-[16px] font-[650]">
		<svg width="24" height="24" viewBox="0 0 24 24" fill="none" stroke="#E8B04A" stroke-width="1.7" aria-hidden="true">
			<path d="M12 3 3.6 17.5a16.5 16.5 0 0 0 16.8 0Z" /><path d="M12 3l3.2 15.4" stroke="#fff" /><circle
				cx="12"
				cy="3.2"
				r="1.2"
				fill="#fff"
				stroke="none"
			/>
		</svg>
		Sextant
	</a>
	<nav class="flex" aria-label="Stages">
		{#each STAGES as stage (stage.key)}
			{@const on = here === stage.path}
			<a
				href={addressWith(page.url, {}, stage.path)}
				aria-current={on ? 'page' : undefined}
				class={[
					'flex items-center px-[13px] font-medium',
					on ? 'bg-paper text-ink mt-[7px] rounded-t-[7px] font-[650]' : 'text-deck2 hover:text-white'
				]}
			>
				{stage.name}<span class={['ml-1.5 text-[11px]', on ? 'text-ink3' : 'text-[#93a0b3]']} aria-hidden="true"
					>{stage.key}</span
				>
			</a>
		{/each}
	</nav>
	<div class="ml-auto flex items-center gap-4 text-[13px] text-[#c8d2de]">
		<button
			class="rounded-[5px] border border-[#4b5d77] px-1.5 py-px text-[12px] text-[#aebbcb] hover:text-white"
			onclick={openMenu}>Ctrl K&ensp;go to or do</button
		>
		<a
			href="/jobs"
			class="flex items-center gap-2 hover:text-white"
			aria-label="{jobs.length} jobs running, {Math.round(progress * 100)} % done"
		>
			{jobs.length}
			{jobs.length === 1 ? 'job' : 'jobs'}
			{#if jobs.length}
				<span class="block h-[5px] w-[54px] overflow-hidden rounded-[3px] bg-[#31435e]"
					><span class="block h-full bg-[#e8b04a]" style="width:{Math.round(progress * 100)}%"></span></span
				>
			{/if}
		</a>
		<div class="relative">
			<button
				class="hover:text-white"
				aria-expanded={belling}
				aria-label="{notices.length} new notices"
				onclick={() => {
					belling = !belling;
				}}
			>
				{#if notices.length}<span class="rounded-full bg-[#e8b04a] px-1.5 text-[12px] font-semibold text-[#15253b]"
						>{notices.length}</span
					>{:else}<span aria-hidden="true">no news</span>{/if}
			</button>
			{#if belling}
				<div class="border-hair bg-sheet text-ink absolute right-0 z-40 mt-2 w-80 rounded-md border p-3 shadow-lg">
					<h2 class="head">Finished jobs</h2>
					{#each notices as n (n.id)}
						<p class="border-hair2 border-b py-1.5 text-[13px]"><a class="link" href="/jobs/{n.jobId}">{n.title}</a></p>
					{:else}
						<p class="text-ink3 py-1.5 text-[13px]">Nothing new. Jobs that you start tell you here when they end.</p>
					{/each}
					{#if notices.length}<button
							class="btn mt-2"
							onclick={() => {
								seen();
								belling = false;
							}}>Mark as read</button
						>{/if}
				</div>
			{/if}
		</div>
		<a href="/settings" class="hover:text-white"
			>{who.name} · {who.role}{#if who.part}<span class="text-[#e8b04a]">&ensp;{who.part}</span>{/if}</a
		>
		<form method="POST" action="/sign-out">
			<button class="text-[#aebbcb] hover:text-white">Sign me out</button>
		</form>
	</div>
</header>
