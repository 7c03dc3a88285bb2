<script lang="ts">
	import AppWindow from '@lucide/svelte/icons/app-window';
	import ChartSpline from '@lucide/svelte/icons/chart-spline';
	import Compass from '@lucide/svelte/icons/compass';
	import MonitorSmartphone from '@lucide/svelte/icons/monitor-smartphone';
	import Notebook from '@lucide/svelte/icons/notebook';
	import Ship from '@lucide/svelte/icons/ship';
	import Waves from '@lucide/svelte/icons/waves-horizontal';

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
