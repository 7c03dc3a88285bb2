<script lang="ts">
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	/** What somebody wants to reach: a private service that is chosen, or what they would write. For forms that are sent by GET. */
	interface Props {
		service: string;
		host: string;
		problem: string | undefined;
		services: readonly { id: string; name: string }[];
	}
	let { service, host, problem, services }: Props = $props();
	// While it does not change, what somebody is typing stays when the page is brought up to date.
	const written = $derived(host);
</script>

<Field label="Service" problem={service ? problem : undefined}
	>{#snippet children(p)}<select {...p} class="field" name="service"
			><option value="">what is written here:</option>{#each services as s (s.id)}<option
					value={s.id}
					selected={s.id === service}>{s.name}</option
				>{/each}</select
		>{/snippet}</Field
>
<TextField
	label="Web site, or host and port"
	name="host"
	value={written}
	placeholder="tides.example"
	problem={service ? undefined : problem}
/>
