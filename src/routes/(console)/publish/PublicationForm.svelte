<script lang="ts">
	import { untrack } from 'svelte';
	import Field from '$lib/ui/forms/Field.svelte';
	import ManyField from '$lib/ui/forms/ManyField.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import { draftFrom } from '$lib/ui/plan/draft';
	import PickField from '$lib/ui/forms/PickField.svelte';
	import { findPeople } from '$lib/ui/forms/finding';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';
	import PublicationIcon from '$lib/ui/publish/PublicationIcon.svelte';

	interface Publication {
		id: string;
		name: string;
		internalName: string;
		icon: string;
		protocol: string;
		pools: string[];
		app: { package: string; target: string } | null;
		reaches: string | null;
		description: string;
		look: { window: 'window' | 'full'; monitors: 'one' | 'all'; group: string };
		visible: string[];
		off: boolean;
		owner: string | null;
		licences: number | null;
		beyond: 'warn' | 'block';
	}
	interface Props {
		pools: { id: string; name: string }[];
		targets: { package: string; target: string; name: string; of: string; pictured: boolean }[];
		/** Private services, which a browser alone opens. */
		services: { id: string; name: string }[];
		cannot: Record<string, Record<string, string>>;
		teams: { id: string; name: string }[];
		/** The publication to change; null to make one. */
		edit: Publication | null;
		close: string;
	}
	let { pools, targets, services, cannot, teams, edit, close }: Props = $props();
	const ICONS = ['desktop', 'chart', 'watch', 'wave', 'ledger', 'ship', 'app'];
	/** A web site in a browser alone: which, stands in a field of its own. */
	const SITE = 'site/';
	const isInside = (opens: string) => opens === SITE || opens.startsWith('service/');
	const openedBy = (opens: string) => targets.find((t) => `${t.package} ${t.target}` === opens) ?? null;
	const form = new PlanForm({
		kind: () => (edit ? 'publication.change' : 'publication.create'),
		start: untrack(() => ({
			name: edit?.name ?? '',
			internalName: edit?.internalName ?? '',
			description: edit?.description ?? '',
			icon: edit?.icon ?? 'desktop',
			protocol: edit?.protocol ?? 'stream',
			pools: [...(edit?.pools ?? [])],
			opens: edit?.app
				? `${edit.app.package} ${edit.app.target}`
				: edit?.reaches?.startsWith(SITE)
					? SITE
					: (edit?.reaches ?? ''),
			site: edit?.reaches?.startsWith(SITE) ? edit.reaches.slice(SITE.length) : '',
			window: edit?.look.window ?? 'full',
			monitors: edit?.look.monitors ?? 'one',
			group: edit?.look.group ?? '',
			visible: [...(edit?.visible ?? [])],
			owner: edit?.owner ?? '',
			licences: edit?.licences === null || edit === null ? '' : String(edit.licences),
			beyond: edit?.beyond ?? 'warn'
		})),
		input: ({ opens, site, window, monitors, group, licences, owner, pools: chosen, ...rest }) => {
			const of = openedBy(opens);
			const inside = isInside(opens);
			return {
				...rest,
				app: of ? { package: of.package, target: of.target } : opens && !inside && edit ? edit.app : null,
				reaches: opens === SITE ? `${SITE}${site.trim()}` : inside ? opens : null,
				// A browser alone needs no machine.
				pools: inside ? [] : chosen,
				look: { window, monitors, group },
				// What is no number goes as it was written, and is said to be wrong.
				licences: licences.trim() === '' ? null : Number.isNaN(Number(licences)) ? licences : Number(licences),
				owner: owner.trim() || null,
				...(edit ? { id: edit.id, off: edit.off } : {})
			};
		},
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const errors = $derived(form.errors);
	const opened = $derived(openedBy(f.opens));
	const inside = $derived(isInside(f.opens));
	const no = $derived(cannot[f.opens] ?? {});

	/** What is opened gives the names and the picture, as long as nobody wrote others. */
	function choose() {
		const service = services.find((s) => `service/${s.id}` === f.opens);
		if (!edit && service) {
			if (!f.name) f.name = service.name;
			if (!f.internalName) f.internalName = `${service.name}, in a browser`;
		}
		if (edit || !opened) return;
		f.window = 'window';
		f.icon = opened.pictured ? 'package' : 'app';
		if (!f.name) f.name = opened.name;
		if (!f.internalName) f.internalName = `${opened.name} of ${opened.package.replace('image/', '')}`;
	}

	async function upload(e: Event) {
		const file = (e.currentTarget as HTMLInputElement).files?.[0];
		if (!file) return;
		const response = await fetch('/api/v1/icons', {
			method: 'POST',
			headers: { 'content-type': file.type || 'application/octet-stream' },
			body: file
		});
		const answer = (await response.json()) as { icon?: string; detail?: string };
		if (answer.icon) f.icon = answer.icon;
		form.errors = { ...form.errors, icon: answer.icon ? '' : (answer.detail ?? 'It could not be taken up.') };
	}

	/** All that the same package, or image, starts. */
	const siblings = $derived(opened ? targets.filter((t) => t.package === opened.package) : []);
	async function planAll() {
		form.errors = await draftFrom(
			'publication.create-many',
			{ package: opened!.package, targets: siblings.map((t) => t.target), pools: f.pools, group: f.group },
			{ make: null, edit: null }
		);
	}
</script>

<h3 class="head">
	{#if edit}Change {edit.internalName} <small>sessions that are open stay open</small>
	{:else}Publish a desktop, an app, or something inside <small>nobody sees it until it is granted</small>{/if}
</h3>
<form class="mt-2 grid grid-cols-4 gap-x-4" onsubmit={form.submit} novalidate>
	<Field label="Opens" problem={errors.app}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.opens} onchange={choose}
				><option value="">a desktop</option>
				<optgroup label="in a browser alone">
					<option value={SITE}>a web site</option>
					{#each services as s (s.id)}<option value="service/{s.id}">{s.name}</option>{/each}
				</optgroup>
				{#each targets as t (`${t.package} ${t.target}`)}<option value="{t.package} {t.target}">{t.name}, {t.of}</option
					>{/each}</select
			>{/snippet}</Field
	>
	<TextField label="Name for people" problem={errors.name} bind:value={f.name} />
	<TextField label="Name for us" problem={errors.internalName} bind:value={f.internalName} />
	{#if f.opens === SITE}<TextField
			label="Web site"
			problem={errors.reaches}
			bind:value={f.site}
			placeholder="tides.example"
		/>
	{:else if inside}<p class="text-ink2 self-center text-[12.5px]">
			By the access rules, on whatever has a browser. <span
				class="text-buoy"
				role={errors.reaches ? 'alert' : undefined}>{errors.reaches ?? ''}</span
			>
		</p>
	{:else}<Field label="Display protocol" problem={errors.protocol}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.protocol}
					><option>stream</option><option>framebuffer</option><option>spice</option></select
				>{/snippet}</Field
		>{/if}
	<div class="col-span-2">
		<TextField label="Description" problem={errors.description} bind:value={f.description} />
	</div>
	<Field label="Picture" problem={errors.icon || undefined}
		>{#snippet children(p)}<span class="flex items-center gap-2"
				><span class="text-sea grid h-[31px] w-[31px] place-items-center"
					>{#if f.icon === 'package'}<span class="text-ink3 text-[11px]">its own</span>{:else}<PublicationIcon
							icon={f.icon}
							size={24}
						/>{/if}</span
				><select {...p} class="field" bind:value={f.icon}
					>{#if opened?.pictured}<option value="package">from the package</option>{/if}{#each ICONS as i (i)}<option
							>{i}</option
						>{/each}{#if f.icon.startsWith('icon:')}<option value={f.icon}>a picture of its own</option>{/if}</select
				></span
			>{/snippet}</Field
	>
	<label class="text-ink2 text-[12.5px]"
		>Upload a picture<input
			type="file"
			accept="image/png,image/jpeg,image/svg+xml"
			onchange={upload}
			class="file-field mt-[3px] block w-full"
		/></label
	>
	<Field label="Comes up" problem={errors['look.window']}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.window}
				><option value="window">in a window</option><option value="full">on the full screen</option></select
			>{/snippet}</Field
	>
	<Field label="Monitors" problem={errors['look.monitors']}
		>{#snippet children(p)}<select {...p} class="field" bind:value={f.monitors}
				><option value="one">one</option><option value="all">all that there are</option></select
			>{/snippet}</Field
	>
	<TextField label="Group on the shelf" problem={errors['look.group']} bind:value={f.group} />
	<ManyField
		label="Seen by"
		none="whoever it is granted to"
		options={teams}
		problem={errors.visible}
		bind:value={f.visible}
	/>
	<TextField label="Licences" hint="how many people may hold it" problem={errors.licences} bind:value={f.licences} />
	{#if f.licences.trim()}<Field label="Beyond them" problem={errors.beyond}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.beyond}
					><option value="warn">warn</option><option value="block">block</option></select
				>{/snippet}</Field
		>{/if}
	<PickField
		label="Requests go to"
		none="nobody: it cannot be asked for"
		problem={errors.owner}
		options={findPeople}
		bind:value={f.owner}
	/>
	{#if !inside}<fieldset class="col-span-4">
			<legend class="text-ink2 text-[12.5px]">Served by, in this order</legend>
			<div class="flex flex-wrap gap-x-5 gap-y-1 text-[13px]">
				{#each pools as p (p.id)}<label
						class={['flex items-center gap-1.5', p.id in no && 'text-ink3']}
						title={no[p.id]}><input type="checkbox" value={p.id} bind:group={f.pools} />{p.name}</label
					>{/each}
			</div>
			{#if opened && Object.keys(no).length}<p class="text-ink3 mt-1 text-[12.5px]">
					{Object.keys(no).length} of them cannot serve it now: {[...new Set(Object.values(no))].join('; ')}
				</p>{/if}
			<p class="text-buoy text-[12.5px]" role="alert">{errors.pools ?? ''}</p>
		</fieldset>{/if}
	<div class="col-span-4">
		<FormEnd {form} words="Plan the {edit ? 'change' : 'publication'}" {close}>
			{#if !edit && siblings.length > 1}<button type="button" class="btn" onclick={planAll}
					>Plan all {siblings.length} of {opened!.of}, by their own names</button
				>{/if}
		</FormEnd>
		{#if errors.targets ?? errors.package}<p class="text-buoy text-[12.5px]" role="alert">
				{errors.targets ?? errors.package}
			</p>{/if}
	</div>
</form>
