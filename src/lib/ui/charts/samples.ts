import {
	CategoryScale,
	Chart,
	Filler,
	Legend,
	LinearScale,
	LineController,
	LineElement,
	PointElement,
	Tooltip
} from 'chart.js';
import { clockWords } from '$lib/core/time/zone';

Chart.register(LineController, LineElement, PointElement, LinearScale, CategoryScale, Filler, Tooltip, Legend);

/** What a machine or a host was like at a moment: strain of 100, the others as shares of what there is. */
export interface SamplePoint {
	at: number;
	cores: number;
	memory: number;
	gpu: number | null;
	strain: number;
}

const colour = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Draws samples as lines over the hours of a zone. Takes the drawing away when what is returned is called. */
export function drawSamples(canvas: HTMLCanvasElement, points: readonly SamplePoint[], zone: string): () => void {
	const hasGpu = points.some((p) => p.gpu !== null);
	const set = (label: string, data: number[], c: string, dash: number[] = []) => ({
		label,
		data,
		borderColor: c,
		backgroundColor: c,
		borderWidth: 1.4,
		pointRadius: 0,
		tension: 0.2,
		borderDash: dash
	});
	const chart = new Chart(canvas, {
		type: 'line',
		data: {
			labels: points.map((p) => clockWords(zone, p.at)),
			datasets: [
				set(
					'strain',
					points.map((p) => p.strain),
					colour('--sand')
				),
				set(
					'cores %',
					points.map((p) => Math.round(p.cores * 100)),
					colour('--sea')
				),
				set(
					'memory %',
					points.map((p) => Math.round(p.memory * 100)),
					colour('--plum'),
					[4, 3]
				),
				...(hasGpu
					? [
							set(
								'GPU %',
								points.map((p) => Math.round((p.gpu ?? 0) * 100)),
								colour('--kelp'),
								[2, 2]
							)
						]
					: [])
			]
		},
		options: {
			animation: false,
			responsive: true,
			maintainAspectRatio: false,
			interaction: { mode: 'index', intersect: false },
			scales: {
				y: {
					min: 0,
					max: 100,
					ticks: { stepSize: 50, color: colour('--ink3'), font: { size: 11 } },
					grid: { color: colour('--hair2') }
				},
				x: {
					ticks: { maxTicksLimit: 5, maxRotation: 0, color: colour('--ink3'), font: { size: 11 } },
					grid: { display: false }
				}
			},
			plugins: { legend: { labels: { boxWidth: 14, boxHeight: 1, color: colour('--ink2'), font: { size: 11 } } } }
		}
	});
	return () => chart.destroy();
}
