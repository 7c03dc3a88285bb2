import highsLoader from 'highs';
import { missingChunks } from '$lib/core/images/delta';
import { expectDuration } from '$lib/core/images/duration';
import { makeStep } from '$lib/core/images/sheet';
import { mustsOf, nearestOrder } from '$lib/core/images/order';
import { evenOut, type EveningDisk, type EveningVolume } from '$lib/core/pools/evening';
import { packMachines, type PackHost, type PackMachine } from '$lib/core/pools/packing';
import type { Db } from '$lib/server/db';
import { followingAt, whoTakes } from '$lib/server/images';
import { normal, uniform } from '$lib/server/simulator/random';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

/** What the Build stage computes, against the truth, the bare operation, or a solver. */
export async function buildBench(db: Db, now: number, report: Report, median: Median): Promise<void> {
	durations(report);
	orders(report, median);
	deltas(report, median);
	takers(db, now, report, median);
	const highs = await highsLoader();
	const solve = (lp: string): number => {
		const answer = highs.solve(lp) as { Status: string; ObjectiveValue: number };
		if (answer.Status !== 'Optimal') throw new Error(`the solver says ${answer.Status}`);
		return answer.ObjectiveValue;
	};
	placement(solve, report, median);
	evening(solve, report, median);
}

function durations(report: Report): void {
	let held = 0;
	const builds = 500;
	for (let b = 0; b < builds; b++) {
		// Nine steps with hidden middles and scatters, seen six times each; then one more build.
		const steps = Array.from({ length: 9 }, (_v, s) => {
			const middle = 60_000 * (1 + 50 * uniform(b, s, 1));
			const scatter = 0.08 + 0.25 * uniform(b, s, 2);
			const draw = (n: number) => middle * Math.exp(scatter * normal(b, s, 3, n));
			return { runs: Array.from({ length: 6 }, (_w, n) => draw(n)), fallback: 0, next: draw(99) };
		});
		if (steps.reduce((n, s) => n + s.next, 0) <= expectDuration(steps).ninety) held++;
	}
	const share = (100 * held) / builds;
	report(
		'duration estimate: nine-in-ten holds, of 500 simulated builds',
		share,
		'%',
		'85 to 95',
		share >= 85 && share <= 95
	);
}

function orders(report: Report, median: Median): void {
	const kinds = [
		'updates',
		'role',
		'language',
		'keyboard',
		'region',
		'package',
		'clean',
		'compact',
		'precompile',
		'trim',
		'setting',
		'service'
	];
	const steps = [
		makeStep('seal'),
		makeStep('agent'),
		...Array.from({ length: 57 }, (_v, i) =>
			makeStep(kinds[Math.floor(uniform(5, i) * kinds.length)]!, {
				package: `p${i}`,
				key: `a/b${i}`,
				service: `s${i}`,
				value: '1',
				packs: ['nb'],
				layouts: ['nb'],
				region: 'nb-NO'
			})
		),
		makeStep('source', { system: 'x' })
	];
	const ms = median(() => nearestOrder(steps.length, mustsOf(steps)));
	report('nearest right order of 60 shuffled steps', ms, 'ms', 'under 50', ms < 50);
}

function deltas(report: Report, median: Median): void {
	const version = (seed: number) => {
		const ids = new Set<number>();
		for (let i = 0; ids.size < 40_000; i++) ids.add(Math.floor(uniform(seed, i) * 90_000));
		return Uint32Array.from(ids).sort();
	};
	const [a, b] = [version(1), version(2)];
	const [listA, listB] = [[...a], [...b]];
	const ours = median(() => missingChunks(a, b));
	const bare = median(() => {
		const there = new Set(listB);
		return listA.filter((c) => !there.has(c));
	});
	report(
		'delta of two versions of 40,000 chunks against a bare Set difference',
		ours / bare,
		'×',
		'under 3',
		ours / bare < 3
	);
}

function takers(db: Db, now: number, report: Report, median: Median): void {
	const line = db.prepare('SELECT line_id AS line, number FROM versions LIMIT 1').get() as {
		line: string;
		number: string;
	};
	const machines = (db.prepare('SELECT count(*) AS n FROM machines').get() as { n: number }).n;
	const ms = median(() => whoTakes(followingAt(db, now), line.line, line.number));
	report(`who takes a version, ${machines} machines`, ms, 'ms', 'under 100', ms < 100);
}

function placement(solve: (lp: string) => number, report: Report, median: Median): void {
	const GB = 1e9;
	const types = [
		{ cores: 2, memory: 8, gpus: 0 },
		{ cores: 4, memory: 12, gpus: 0 },
		{ cores: 4, memory: 16, gpus: 0 },
		{ cores: 8, memory: 24, gpus: 0 },
		{ cores: 8, memory: 48, gpus: 1 },
		{ cores: 16, memory: 64, gpus: 0 },
		{ cores: 2, memory: 16, gpus: 0 },
		{ cores: 12, memory: 32, gpus: 0 }
	];
	const machines: PackMachine[] = Array.from({ length: 2000 }, (_v, i) => {
		const t = types[Math.floor(uniform(9, i) * types.length)]!;
		return { name: `m${i}`, cores: t.cores, memory: t.memory * GB, gpus: t.gpus };
	});
	const hosts: PackHost[] = Array.from({ length: 200 }, (_v, i) => ({
		name: `h${i}`,
		cores: i % 3 === 0 ? 128 : 96,
		memory: (i % 3 === 0 ? 512 : 384) * GB,
		gpus: i % 4 === 0 ? 8 : 0
	}));
	const packed = packMachines(machines, hosts, { over: 'few', spareHost: false }).value;
	if (packed.left.length) throw new Error(`${packed.left.length} machines found no spot`);
	// The linear relaxation: how many of each type on each host, and how much of each host.
	const count = types.map((t) => machines.filter((m) => m.cores === t.cores && m.memory === t.memory * GB).length);
	const lines = ['Minimize', ` obj: ${hosts.map((_h, h) => `y${h}`).join(' + ')}`, 'Subject To'];
	types.forEach((_t, t) => lines.push(` n${t}: ${hosts.map((_h, h) => `x${t}_${h}`).join(' + ')} = ${count[t]!}`));
	hosts.forEach((host, h) => {
		lines.push(` c${h}: ${types.map((t, i) => `${t.cores} x${i}_${h}`).join(' + ')} - ${host.cores} y${h} <= 0`);
		lines.push(` m${h}: ${types.map((t, i) => `${t.memory} x${i}_${h}`).join(' + ')} - ${host.memory / GB} y${h} <= 0`);
		lines.push(
			` g${h}: ${types.flatMap((t, i) => (t.gpus ? [`${t.gpus} x${i}_${h}`] : [])).join(' + ')} - ${host.gpus} y${h} <= 0`
		);
	});
	lines.push('Bounds', ...hosts.map((_h, h) => ` 0 <= y${h} <= 1`), 'End');
	const lp = lines.join('\n');
	const bound = Math.ceil(solve(lp) - 1e-6);
	// Both warm, both by their median.
	const solver = median(() => solve(lp), 5);
	const ours = median(() => packMachines(machines, hosts, { over: 'few', spareHost: false }), 41);
	report(
		'placement of 2,000 machines on 200 hosts: hosts over the LP bound',
		100 * (packed.hosts / bound - 1),
		'%',
		'within 3',
		packed.hosts / bound <= 1.03
	);
	report(
		'placement of 2,000 machines: time against the solver’s',
		ours / solver,
		'×',
		'under 0.05',
		ours / solver < 0.05
	);
}

function evening(solve: (lp: string) => number, report: Report, median: Median): void {
	const GB = 1e9;
	const volumes: EveningVolume[] = [];
	const disks: EveningDisk[] = [];
	for (let v = 0; v < 20; v++) {
		let used = 0;
		for (let d = 0; d < 250; d++) {
			const bytes = Math.round((20 + 80 * uniform(4, v, d)) * GB);
			disks.push({ machine: `m${v}-${d}`, volume: `v${v}`, bytes });
			used += bytes;
		}
		volumes.push({ id: `v${v}`, size: used / (v % 2 ? 0.92 : 0.55), used });
	}
	const ms = median(() => evenOut(volumes, disks, 0.8), 5);
	report('evening 20 volumes with 5,000 disks', ms, 'ms', 'under 1000', ms < 1000);

	let [ours, best] = [0, 0];
	for (let c = 0; c < 25; c++) {
		const small: EveningVolume[] = [];
		const few: EveningDisk[] = [];
		for (let v = 0; v < 4; v++) {
			let used = 0;
			for (let d = 0; d < 9; d++) {
				const bytes = Math.round(10 + 60 * uniform(6, c, v, d)) * GB;
				few.push({ machine: `m${v}-${d}`, volume: `v${v}`, bytes });
				used += bytes;
			}
			small.push({ id: `v${v}`, size: used / (v < 2 ? 0.9 : 0.5), used });
		}
		const moved = evenOut(small, few, 0.8).value;
		if (!moved) throw new Error('a case that can be evened out was refused');
		ours += moved.bytes / GB;
		best += solve(eveningModel(small, few, 0.8, GB));
	}
	report(
		'evening small cases: bytes moved over the optimum',
		100 * (ours / best - 1),
		'%',
		'within 10',
		ours / best <= 1.1
	);
}

/** The least bytes to move as an integer program: every disk of a volume that is over may go to one that is not. */
function eveningModel(volumes: EveningVolume[], disks: EveningDisk[], share: number, unit: number): string {
	const over = volumes.filter((v) => v.used > v.size * share);
	const under = volumes.filter((v) => v.used <= v.size * share);
	const movable = disks.flatMap((d, i) => (over.some((v) => v.id === d.volume) ? [{ ...d, i }] : []));
	const x = (i: number, v: EveningVolume) => `x${i}_${v.id}`;
	const lines = [
		'Minimize',
		` obj: ${movable.flatMap((d) => under.map((v) => `${d.bytes / unit} ${x(d.i, v)}`)).join(' + ')}`,
		'Subject To'
	];
	for (const d of movable) lines.push(` d${d.i}: ${under.map((v) => x(d.i, v)).join(' + ')} <= 1`);
	for (const v of over)
		lines.push(
			` o${v.id}: ${movable
				.filter((d) => d.volume === v.id)
				.flatMap((d) => under.map((u) => `${d.bytes / unit} ${x(d.i, u)}`))
				.join(' + ')} >= ${(v.used - v.size * share) / unit}`
		);
	for (const v of under)
		lines.push(
			` u${v.id}: ${movable.map((d) => `${d.bytes / unit} ${x(d.i, v)}`).join(' + ')} <= ${(v.size * share - v.used) / unit}`
		);
	lines.push('Binary', ...movable.flatMap((d) => under.map((v) => ` ${x(d.i, v)}`)), 'End');
	return lines.join('\n');
}
