<script lang="ts">
	import { AppWindow, ChartSpline, Compass, MonitorSmartphone, Notebook, Ship, Waves } from '@lucide/svelte';

	interface Props {
		icon: string;
		size?: number;
	}
	let { icon, size = 26 }: Props = $props();
	const drawn: Record<string, typeof Ship> = {
		desktop: MonitorSmartphone,
		chart: ChartSpline,
		watch: Compass,
		wave: Waves,
		ledger: Notebook,
		ship: Ship,
		app: AppWindow
	};
	const Drawn = $derived(drawn[icon] ?? AppWindow);
</script>

{#if icon.startsWith('icon:')}<img
		src="/icons/{icon.slice(5)}"
		alt=""
		width={size}
		height={size}
		class="inline-block object-contain"
	/>{:else}<Drawn {size} aria-hidden="true" class="inline-block" />{/if}
