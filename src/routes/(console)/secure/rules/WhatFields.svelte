<script lang="ts">
	import { channelWords, isPassage, isSized, PASSAGES } from '$lib/core/reach/channels';
	import Field from '$lib/ui/forms/Field.svelte';
	import TextField from '$lib/ui/forms/TextField.svelte';

	/** What somebody wants to reach: a private service that is chosen, or what they would write. For forms that are sent by GET. */
	interface Props {
		service: string;
		host: string;
		/** How much is to pass a session at once; absent: what passes sessions is not asked about. */
		size?: string;
		problem: string | undefined;
		services: readonly { id: string; name: string }[];
	}
	let { service, host, size, problem, services }: Props = $props();
	// As long as another is not asked about, what was chosen stays.
	const asked = $derived(service);
	let chosen = $derived(asked);
	const passage = $derived(chosen.startsWith('channel/') ? chosen.slice('channel/'.length) : null);
	const much = $derived(size ?? '');
	// While it does not change, what somebody is typing stays when the page is brought up to date.
	const written = $derived(host);
</script>

<Field
	label={size === undefined ? 'Service' : 'Service, or what passes a session'}
	problem={service ? problem : undefined}
	>{#snippet children(p)}<select {...p} class="field" name="service" bind:value={chosen}
			><option value="">what is written here:</option>{#each services as s (s.id)}<option value={s.id}>{s.name}</option
				>{/each}{#if size !== undefined}<optgroup label="What passes a session"
					>{#each PASSAGES as p (p)}<option value="channel/{p}">{channelWords(p)}</option>{/each}</optgroup
				>{/if}</select
		>{/snippet}</Field
>
{#if passage === null}
	<TextField
		label="Web site, or host and port"
		name="host"
		value={written}
		placeholder="tides.example"
		problem={service ? undefined : problem}
	/>
{:else if isPassage(passage) && isSized(passage)}
	<TextField label="How much at once" name="size" value={much} placeholder="4 KB" problem={undefined} />
{:else}<div></div>{/if}
