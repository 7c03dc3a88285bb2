<script lang="ts">
	import { Combobox } from 'bits-ui';
	import { untrack } from 'svelte';
	import Field from './Field.svelte';
	import { folded, meantBy, type Pickable } from './finding';

	/** Picks one of many by a search: of some that are known, or of what a search on the server finds. */
	interface Props {
		label: string;
		/** All that there are; or a search, asked as one types. */
		options: readonly Pickable[] | ((text: string) => Promise<Pickable[]>);
		/** What it is called that is chosen to begin with, where options are searched for. */
		called?: string;
		/** What it means when nothing is chosen; without it, something has to be. */
		none?: string;
		problem?: string | undefined;
		hint?: string;
		bare?: boolean;
		value: string;
		disabled?: boolean;
		name?: string;
		/** Told of what is taken, where it is not kept here: the field is empty again. */
		take?: (id: string) => void;
	}
	let {
		label,
		options,
		called,
		none,
		problem,
		hint,
		bare = false,
		value = $bindable(),
		disabled = false,
		name,
		take: taken
	}: Props = $props();
	const nameOf = (id: string) =>
		typeof options === 'function' ? (id === '' ? '' : (called ?? id)) : (options.find((o) => o.id === id)?.name ?? id);
	let text = $state(untrack(() => nameOf(value)));
	let searching = $state(false);
	let open = $state(false);
	let found: Pickable[] = $state([]);
	let turn = 0;
	let timer: ReturnType<typeof setTimeout> | undefined;

	// Set from elsewhere: shown by its name.
	let shown = untrack(() => value);
	$effect(() => {
		if (value === shown) return;
		shown = value;
		text = found.find((o) => o.id === value)?.name ?? nameOf(value);
	});

	const offered = $derived.by(() => {
		if (typeof options === 'function') return found;
		const wanted = searching ? folded(text) : '';
		return options.filter((o) => folded(`${o.name} ${o.sub ?? ''}`).includes(wanted)).slice(0, 100);
	});
	async function look(at: string) {
		if (typeof options !== 'function') return;
		const mine = ++turn;
		const rows = await options(at);
		// An answer that comes after a later question is no longer asked for.
		if (mine === turn) found = rows;
	}
	function type(e: Event) {
		text = (e.currentTarget as HTMLInputElement).value;
		searching = true;
		open = true;
		clearTimeout(timer);
		timer = setTimeout(() => void look(text), 150);
		set(written());
	}
	/** What is meant by what is written: whatever is called just so; else the text itself where the server is to know, and nothing where all are known. */
	function written(): string {
		const exact = meantBy(text, offered);
		return exact?.id ?? (typeof options === 'function' ? text.trim() : '');
	}
	function set(id: string) {
		shown = id;
		value = id;
	}
	function take(id: string) {
		if (id === '') return;
		if (taken) {
			taken(id);
			searching = false;
			text = '';
			set('');
			return;
		}
		set(id);
		text = offered.find((o) => o.id === id)?.name ?? id;
		searching = false;
	}
	function leave() {
		if (!searching) return;
		searching = false;
		const meant = written();
		if (meant !== '' && offered.some((o) => o.id === meant)) take(meant);
		else set(meant);
	}
</script>

<Field {label} {bare} {problem} {...hint === undefined ? {} : { hint }}
	>{#snippet children(p)}
		<Combobox.Root
			type="single"
			value={searching ? '' : value}
			onValueChange={take}
			inputValue={text}
			{disabled}
			bind:open
			onOpenChange={(now) => now && void look(searching ? text : '')}
		>
			<div class="relative">
				<Combobox.Input
					{...p}
					class="field pr-7"
					autocomplete="off"
					placeholder={none ?? 'search …'}
					oninput={type}
					onblur={leave}
					onclick={() => {
						if (!open) void look('');
						open = true;
					}}
					onfocus={(e) => (e.currentTarget as HTMLInputElement).select()}
				/>
				{#if name}<input type="hidden" {name} {value} />{/if}
				<Combobox.Trigger class="text-ink3 absolute top-0 right-0 h-full px-2" aria-label="Show what there is"
					>▾</Combobox.Trigger
				>
			</div>
			<!-- Not in a portal: what is offered belongs to the form’s own part of the page. -->
			<Combobox.Content
				sideOffset={4}
				class="border-hair bg-sheet z-50 max-h-[260px] w-[var(--bits-combobox-anchor-width)] min-w-[220px] overflow-auto rounded-md border py-1 shadow-lg"
			>
				{#each offered as o (o.id)}
					<Combobox.Item
						value={o.id}
						label={o.name}
						class="data-highlighted:bg-seawash flex cursor-default items-baseline gap-2 px-2 py-1 text-[13.5px]"
						>{#snippet children({ selected })}<span class="text-sea w-3" aria-hidden="true">{selected ? '✓' : ''}</span
							><span class="whitespace-nowrap">{o.name}</span>{#if o.sub}<span class="text-ink3 text-[12.5px]"
									>{o.sub}</span
								>{/if}{/snippet}</Combobox.Item
					>
				{:else}<p class="text-ink3 px-2 py-1 text-[13px]">Nothing is called so.</p>{/each}
			</Combobox.Content>
		</Combobox.Root>
	{/snippet}</Field
>
