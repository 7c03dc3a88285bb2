import { mkdtempSync, rmSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { stringify } from 'yaml';
import { generateEstate } from '$lib/core/estate/generate';
import { dataOf, served, signIn, type Report } from './load';

/**
 * What a page's data costs as the estate grows: the real server over generated estates that have lived for some hours, each page asked for nine
 * times one after the other. The middle is what people meet, since the present is shared; the first of nine works it out.
 */
const SIZES = (process.env.BENCH_SIZES ?? '1000,5000,20000').split(',').map(Number);
const HOURS = 3;
const PORT = 4892;
const BASE = `http://localhost:${PORT}`;
const PAGES = ['/', '/watch', '/watch?list=sessions', '/publish', '/publish/who', '/build', '/scale', '/fix'];

export async function growthBench(report: Report): Promise<void> {
	const rows: Record<string, Record<string, string>> = Object.fromEntries(PAGES.map((p) => [p, {}]));
	let worst = 0;
	let largest = 0;
	for (const machines of SIZES) {
		const folder = mkdtempSync(join(tmpdir(), 'sextant-work-growth-'));
		const file = join(folder, 'estate.yaml');
		const estate = generateEstate(Math.round(machines * 2.5), machines, 1);
		(estate as { lab: { history_days: number } }).lab.history_days = HOURS / 24;
		writeFileSync(file, stringify(estate));
		console.log(`${machines} machines live for ${HOURS} h …`);
		const options = ['--estate', file, '--port', String(PORT), '--data', join(folder, 'data'), '--speed', '1'];
		await served(options, async () => {
			const cookie = await signIn(BASE, 'owner');
			for (const page of PAGES) {
				const times: number[] = [];
				let size = 0;
				for (let i = 0; i < 9; i++) {
					const began = performance.now();
					const answer = await dataOf(BASE, page, cookie);
					size = answer.size;
					times.push(performance.now() - began);
				}
				const first = times[0]!;
				const middle = times.sort((a, b) => a - b)[4]!;
				rows[page]![machines] = `${middle.toFixed(0)} ms (first ${first.toFixed(0)}), ${(size / 1024).toFixed(0)} KB`;
				if (machines === SIZES.at(-1)) {
					worst = Math.max(worst, middle);
					largest = Math.max(largest, size / 1024);
				}
			}
		}).finally(() => rmSync(folder, { recursive: true, force: true }));
	}
	console.table(rows);
	const most = SIZES.at(-1);
	report(`data of the slowest page, middle of nine, ${most} machines`, worst, 'ms', 'under 80', worst < 80);
	report(`data of the largest page, ${most} machines`, largest, 'KB', 'under 60', largest < 60);
}
