<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';
	import FormEnd from '$lib/ui/plan/FormEnd.svelte';
	import { PlanForm } from '$lib/ui/plan/form.svelte';

	/** A private service: where it is, and the inner gateway that it stands behind. */
	interface Props {
		edited: {
			id: string;
			name: string;
			group: string | null;
			hosts: readonly string[];
			ports: readonly string[];
			protocol: 'tcp' | 'udp';
			gateway: string | null;
		} | null;
		gateways: readonly { id: string; name: string; siteName: string }[];
		groups: readonly string[];
		close: string;
	}
	let { edited, gateways, groups, close }: Props = $props();
	const words = (text: string) => text.split(/[\s,;]+/).filter(Boolean);
	const form = new PlanForm({
		kind: 'private-service.put',
		// svelte-ignore state_referenced_locally
		start: {
			name: edited?.name ?? '',
			group: edited?.group ?? '',
			hosts: edited?.hosts.join(', ') ?? '',
			ports: edited?.ports.join(', ') ?? '',
			protocol: edited?.protocol ?? 'tcp',
			gateway: edited?.gateway ?? ''
		},
		input: (f) => ({
			...(edited ? { id: edited.id } : {}),
			name: f.name,
			group: f.group.trim() || null,
			hosts: words(f.hosts),
			ports: words(f.ports),
			protocol: f.protocol,
			gateway: f.gateway || null
		}),
		beside: (path) => path.replace(/\.\d+$/, ''),
		// svelte-ignore state_referenced_locally
		holds: edited !== null,
		parts: { make: null, edit: null }
	});
	const f = form.f;
	const id = $props.id();
</script>

<h2 class="head">
	{edited ? `Change ${edited.name}` : 'A private service'} <small>what people reach inside by host and port</small>
</h2>
<form class="mt-2" onsubmit={form.submit} novalidate>
	<div class="grid grid-cols-3 gap-x-4">
		<TextField label="Name" problem={form.errors.name} bind:value={f.name} />
		<TextField
			label="Hosts"
			hint="names, addresses and ranges"
			placeholder="depths.example, 10.21.12.0/28"
			problem={form.errors.hosts}
			bind:value={f.hosts}
		/>
		<TextField label="Ports" placeholder="5432, 8000-8010" problem={form.errors.ports} bind:value={f.ports} />
		<Field label="Protocol" problem={form.errors.protocol}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.protocol}
					><option>tcp</option><option>udp</option></select
				>{/snippet}</Field
		>
		<TextField
			label="Group"
			hint="if it belongs to one"
			list="{id}-groups"
			problem={form.errors.group}
			bind:value={f.group}
		/>
		<datalist id="{id}-groups"
			>{#each groups as g (g)}<option value={g}></option>{/each}</datalist
		>
		<Field label="Behind" problem={form.errors.gateway}
			>{#snippet children(p)}<select {...p} class="field" bind:value={f.gateway}
					><option value="">no inner gateway</option>{#each gateways as g (g.id)}<option value={g.id}
							>{g.name}, {g.siteName}</option
						>{/each}</select
				>{/snippet}</Field
		>
	</div>
	<FormEnd {form} words={edited ? 'Plan to change it' : 'Plan to add it'} {close} />
</form>
