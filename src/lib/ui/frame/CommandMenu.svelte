<script lang="ts">
	import { goto } from '$app/navigation';
	import { page } from '$app/state';
	import { Command, Dialog } from 'bits-ui';
	import { addressWith } from './address';
	import { STAGES } from './stages';

	interface Props {
		open: boolean;
		things: { kind: string; id: string; name: string }[];
		doThis: { words: string; href?: string; run?: () => void }[];
		find: (text: string) => Promise<{ kind: string; id: string; name: string }[]>;
	}
	let { open = $bindable(), things, doThis, find }: Props = $props();
	let text = $state('');
	let found: { kind: string; id: string; name: string }[] = $state([]);
	let asked = 0;

	$effect(() => {
		const wanted = text.trim();
		const mine = ++asked;
		if (wanted.length < 2) {
			found = [];
			return;
		}
		const timer = setTimeout(async () => {
			const rows = await find(wanted);
			if (mine === asked) found = rows;
		}, 120);
		return () => clearTimeout(timer);
	});
	function go(href: string) {
		open = false;
		text = '';
		void goto(href);
	}
</script>

<Dialog.Root bind:open>
	<Dialog.Portal>
		<Dialog.Overlay class="bg-ink/30 fixed inset-0 z-50" />
		<Dialog.Content
			class="border-hair bg-sheet fixed top-[12vh] left-1/2 z-50 w-[560px] max-w-[94vw] -translate-x-1/2 rounded-lg border shadow-xl"
		>
			<Dialog.Title class="sr-only">Go to or do</Dialog.Title>
			<Dialog.Description class="sr-only">Type to find a view, an object or something to do.</Dialog.Description>
			<Command.Root shouldFilter={true} label="Go to or do">
				<Command.Input
					bind:value={text}
					placeholder="Go to a view, a machine, a person; or do something"
					class="border-hair text-ink w-full rounded-t-lg border-b bg-transparent px-4 py-3 text-[15px] outline-none"
				/>
				<Command.List class="max-h-[50vh] overflow-auto p-2">
					<Command.Viewport>
						<Command.Empty class="text-ink3 px-3 py-4 text-[13px]">Nothing of that name.</Command.Empty>
						{#if found.length}
							<Command.Group>
								<Command.GroupHeading class="head px-2 py-1">Found</Command.GroupHeading>
								<Command.GroupItems>
									{#each found as t (t.kind + t.id)}
										<Command.Item
											value="{text} {t.kind} {t.id} {t.name}"
											class="data-selected:bg-seawash rounded px-3 py-1.5 text-[13.5px]"
											onSelect={() => go(addressWith(page.url, { card: `${t.kind}/${t.id}` }))}
											>{t.name} <span class="text-ink3">{t.kind}</span></Command.Item
										>
									{/each}
								</Command.GroupItems>
							</Command.Group>
						{/if}
						<Command.Group>
							<Command.GroupHeading class="head px-2 py-1">Go to</Command.GroupHeading>
							<Command.GroupItems>
								{#each [...STAGES, { key: 'j', name: 'Jobs', path: '/jobs' }, { key: 'c', name: 'Change log', path: '/changes' }, { key: 's', name: 'Settings', path: '/settings' }] as s (s.path)}
									<Command.Item
										value="go {s.name}"
										class="data-selected:bg-seawash rounded px-3 py-1.5 text-[13.5px]"
										onSelect={() => go(addressWith(page.url, {}, s.path))}>{s.name}</Command.Item
									>
								{/each}
								{#each things as t (t.kind + t.id)}
									<Command.Item
										value="{t.kind} {t.name} {t.id}"
										class="data-selected:bg-seawash rounded px-3 py-1.5 text-[13.5px]"
										onSelect={() => go(addressWith(page.url, { card: `${t.kind}/${t.id}` }))}
										>{t.name} <span class="text-ink3">{t.kind}</span></Command.Item
									>
								{/each}
							</Command.GroupItems>
						</Command.Group>
						<Command.Group>
							<Command.GroupHeading class="head px-2 py-1">Do</Command.GroupHeading>
							<Command.GroupItems>
								{#each doThis as d (d.words)}
									<Command.Item
										value="do {d.words}"
										class="data-selected:bg-seawash rounded px-3 py-1.5 text-[13.5px]"
										onSelect={() => {
											if (d.href) go(d.href);
											else {
												open = false;
												d.run?.();
											}
										}}>{d.words}</Command.Item
									>
								{/each}
							</Command.GroupItems>
						</Command.Group>
					</Command.Viewport>
				</Command.List>
			</Command.Root>
		</Dialog.Content>
	</Dialog.Portal>
</Dialog.Root>
