import { spawnSync } from 'node:child_process';
import { createReadStream, mkdirSync, mkdtempSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import {
	whoGetsWhat,
	type MatrixGrant,
	type MatrixPerson,
	type MatrixPublication,
	type MatrixTeam
} from '$lib/core/access/matrix';
import { AttachEngine, type AttachEvent } from '$lib/core/packages/attach';
import { findClashes, type Claim } from '$lib/core/packages/clashes';
import { systemOf } from '$lib/core/packages/fits';
import { byKey, inventoryLine, isFile, linesOf, type InventoryEntry } from '$lib/core/packages/inventory';
import { bareSpec, type Contents } from '$lib/core/packages/spec';
import { BlobStore } from '$lib/server/packing/blobs';
import { folderSource } from '$lib/server/packing/capture-files';
import { buildPackage } from '$lib/server/packing/layout';
import { entriesOf, takeInventory } from '$lib/server/packing/walk';
import { uniform } from '$lib/server/simulator/random';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

/** What the Publish stage computes of packages, against reading the same, packing the same, or a limit. */
export async function packagesBench(report: Report, median: Median): Promise<void> {
	const folder = mkdtempSync(join(tmpdir(), 'sextant-bench-packages-'));
	try {
		await differences(folder, report);
		await building(folder, report);
	} finally {
		rmSync(folder, { recursive: true, force: true });
	}
	clashes(report, median);
	attaching(report);
	matrix(report, median);
}

const ENTRIES = 500_000;

/** Two inventories of half a million entries, compared in a process of its own, so that its memory is its own. */
async function differences(folder: string, report: Report): Promise<void> {
	const [before, after] = [join(folder, 'before.jsonl'), join(folder, 'after.jsonl')];
	for (const [path, later] of [
		[before, false],
		[after, true]
	] as const) {
		const entries = Array.from({ length: ENTRIES }, (_v, i): InventoryEntry => {
			// One in a hundred is another file later.
			const content = later && i % 100 === 0 ? i + 7 : i;
			return i % 5 === 4
				? {
						setting: `Machine/Software/Suite ${i % 40}/${Math.floor(i / 400)}`,
						name: `v${i}`,
						type: 'text',
						value: String(content)
					}
				: {
						file: `C:/Program Files/Suite ${i % 40}/part ${Math.floor(i / 40) % 250}/file-${i}.bin`,
						kind: 'file',
						size: 1000 + content,
						mode: '0644',
						mtime: 1_700_000_000_000 + content,
						sha256: content.toString(16).padStart(64, '5')
					};
		}).sort(byKey);
		writeFileSync(
			path,
			`${[{ inventory: 1, of: 'bench', at: 1 } as const, ...entries].map(inventoryLine).join('\n')}\n`
		);
	}
	const measure = (what: string) => {
		const child = spawnSync(process.execPath, [join(import.meta.dirname, 'bench-difference.js'), what, before, after], {
			encoding: 'utf8'
		});
		if (child.status !== 0) throw new Error(child.stderr);
		return JSON.parse(child.stdout) as { ms: number; rss: number; changes: number };
	};
	// Each three times, in turn; the middle counts.
	const runs = Array.from({ length: 3 }, () => ({ bare: measure('bare'), ours: measure('difference') }));
	const middle = (list: number[]) => list.sort((a, b) => a - b)[1]!;
	const ratio = middle(runs.map((r) => r.ours.ms)) / middle(runs.map((r) => r.bare.ms));
	const memory = Math.max(...runs.map((r) => r.ours.rss)) / 1e6;
	report(
		`difference of two inventories of ${ENTRIES} entries against reading both`,
		ratio,
		'×',
		'under 2',
		ratio < 2 && runs[0]!.ours.changes === ENTRIES / 100
	);
	report('memory of that difference', memory, 'MB', 'under 400', memory < 400);
}

/** A gigabyte in 20,000 files: packed here, and by tar and gzip; then a second version with one file in a hundred changed. */
async function building(folder: string, report: Report): Promise<void> {
	const root = join(folder, 'root');
	const files = 20_000;
	const each = Math.round(1e9 / files);
	for (let i = 0; i < files; i++) {
		if (i % 100 === 0) mkdirSync(join(root, `opt/suite/part-${i / 100}`), { recursive: true });
		writeFileSync(join(root, `opt/suite/part-${Math.floor(i / 100)}/file-${i}`), content(i, each));
	}
	const began = performance.now();
	const tar = spawnSync('sh', ['-c', `tar -C ${root} -cf - . | gzip -6 > ${join(folder, 'plain.tgz')}`]);
	if (tar.status !== 0) throw new Error(String(tar.stderr));
	const plain = performance.now() - began;
	const contents = await contentsIn(folder, root);
	const store = new BlobStore(join(folder, 'store'));
	const spec = bareSpec('suite', '1.0.0', systemOf('Meridian Server 24', 'multi'), 1_760_000_000_000);
	const from = performance.now();
	const first = await buildPackage(store, spec, contents, folderSource(root));
	const ours = performance.now() - from;
	report(
		'building a package of 1 GB in 20,000 files against tar | gzip',
		ours / plain,
		'×',
		'under 1.3',
		ours / plain < 1.3
	);
	report(
		'size of that package against tar | gzip',
		first.size / statSync(join(folder, 'plain.tgz')).size,
		'×',
		'under 1.05',
		first.size / statSync(join(folder, 'plain.tgz')).size < 1.05
	);
	for (let i = 0; i < files; i += 100)
		writeFileSync(join(root, `opt/suite/part-${Math.floor(i / 100)}/file-${i}`), content(i + 1_000_000, each));
	const second = await buildPackage(
		store,
		{ ...spec, version: '1.0.1' },
		await contentsIn(folder, root),
		folderSource(root),
		first.manifest
	);
	const more = (100 * second.added) / first.size;
	report('second version with 1 % changed: what it adds to the store', more, '%', 'under 3', more < 3);
}

/** Text that packs about as well as programs do. */
function content(seed: number, size: number): Buffer {
	const bytes = Buffer.alloc(size);
	let state = seed * 2654435761 + 1;
	for (let i = 0; i < size; i += 4) {
		state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
		// Of four bytes two repeat.
		bytes[i] = state >>> 24;
		bytes[i + 1] = (state >>> 16) & 15;
	}
	return bytes;
}

async function contentsIn(folder: string, root: string): Promise<Contents> {
	const out = join(folder, 'inventory.jsonl');
	await takeInventory(root, [], out, { inventory: 1, of: 'bench', at: 1 });
	const { entries } = await entriesOf(out);
	return { files: entries.filter(isFile), settings: [], left: [] };
}

function clashes(report: Report, median: Median): void {
	const claims = (p: number): Claim[] =>
		Array.from({ length: 5000 }, (_v, i) => {
			// One in fifty is shared with others, with content of its own now and then.
			const shared = i % 50 === 0;
			return {
				kind: 'file',
				what: shared
					? `C:/Program Files/Common/${Math.floor(uniform(3, p, i) * 20_000)}`
					: `C:/Program Files/App ${p}/${i}.dll`,
				content: shared ? `c${Math.floor(uniform(4, p, i) * 3)}` : `${p}/${i}`
			};
		});
	const packages = Array.from({ length: 300 }, (_v, p) => ({ id: `app-${p}`, order: p, claims: claims(p) }));
	const found = findClashes(packages).reduce((n, c) => n + c.total, 0);
	const ms = median(() => findClashes(packages), 5);
	report('clashes of 300 packages of 5,000 entries', ms / 1000, 's', 'under 1', ms < 1000 && found > 1000);
}

/** A day of 2,000 machines: people come, start and close apps, versions change meanwhile. */
function attaching(report: Report): void {
	const engine = new AttachEngine();
	const machines = Array.from({ length: 2000 }, (_v, i) => `m${i}`);
	const packages = Array.from({ length: 12 }, (_v, i) => `p${i}`);
	let events = 0;
	const take = (e: AttachEvent, now: number) => {
		events++;
		// Whatever is ordered is done at once.
		for (const o of engine.take(e, now))
			take(
				{
					kind: o.action === 'attach' ? 'attached' : 'detached',
					machine: o.machine,
					package: o.package,
					version: o.version
				},
				now
			);
	};
	const began = performance.now();
	const wanted = (version: string) =>
		packages.map((name, i) => ({
			package: name,
			version,
			mode: (['start', 'sign-in', 'launch'] as const)[i % 3]!
		}));
	for (let p = 0; p < 10; p++) take({ kind: 'want', pool: `pool${p}`, wanted: wanted('1') }, 0);
	machines.forEach((m, i) => take({ kind: 'up', machine: m, pool: `pool${i % 10}` }, 0));
	for (let t = 0; t < 100_000; t++) {
		const machine = machines[Math.floor(uniform(7, t) * machines.length)]!;
		const name = packages[Math.floor(uniform(8, t) * packages.length)]!;
		const what = t % 4;
		if (what === 0) take({ kind: 'sign-in', machine }, t);
		else if (what === 1) {
			take({ kind: 'wait', machine, package: name }, t);
			const there = engine
				.look(machine)!
				.present.get(name)
				?.find((x) => x.state === 'attached');
			if (there) take({ kind: 'open', machine, package: name, version: there.version }, t);
			take({ kind: 'waited', machine, package: name }, t);
		} else if (what === 2) {
			const open = engine
				.look(machine)!
				.present.get(name)
				?.find((x) => x.open > 0);
			if (open) take({ kind: 'close', machine, package: name, version: open.version }, t);
		} else take({ kind: 'sign-out', machine }, t);
		if (t % 20_000 === 0)
			take({ kind: 'want', pool: `pool${(t / 20_000) % 10}`, wanted: wanted(String(2 + t / 20_000)) }, t);
	}
	const rate = events / ((performance.now() - began) / 1000);
	report('attach engine', rate, 'events/s', 'over 10,000', rate > 10_000);
}

/** 50,000 people of 500 nested teams in ten zones against 200 publications with some 900 grants, two in three with conditions. */
function matrix(report: Report, median: Median): void {
	const teams: MatrixTeam[] = Array.from({ length: 500 }, (_v, i) => ({
		id: `t${i}`,
		name: `Team ${i}`,
		parent: i === 0 ? null : `t${Math.floor((i - 1) / 4)}`
	}));
	const zones = [
		'Europe/Oslo',
		'Europe/Lisbon',
		'America/Halifax',
		'America/Lima',
		'Australia/Hobart',
		'Asia/Tokyo',
		'Asia/Kolkata',
		'Africa/Nairobi',
		'America/Denver',
		'Pacific/Auckland'
	];
	const teamOf = (n: number, i: number) => `t${Math.floor(uniform(n, i) * 500)}`;
	const people: MatrixPerson[] = Array.from({ length: 50_000 }, (_v, i) => ({
		login: `p${i}`,
		memberOf: [teamOf(31, i)],
		zone: zones[Math.floor(uniform(32, i) * zones.length)]!,
		device: { name: `d${i}`, certificate: uniform(33, i) < 0.8 ? 'good' : 'none' },
		// Worse than it is: anybody may sit in any network.
		address: `10.${Math.floor(uniform(34, i) * 12)}.${i % 200}.${i % 250}`
	}));
	const publications: MatrixPublication[] = Array.from({ length: 200 }, (_v, i) => ({
		id: `pub${i}`,
		door: i % 5 ? {} : { visible: [0, 1, 2].map((k) => ({ id: `t${i + k}`, name: `t${i + k}` })) }
	}));
	const grants: MatrixGrant[] = Array.from({ length: 900 }, (_v, i) => {
		const person = uniform(35, i) < 0.2;
		const id = person ? `p${Math.floor(uniform(36, i) * 50_000)}` : `t${Math.floor(uniform(37, i) ** 2 * 500)}`;
		return {
			id: i,
			publication: publications[i % 200]!.id,
			to: { kind: person ? 'person' : 'team', id, name: id },
			kind: i % 3 ? 'required' : 'optional',
			conditions: {
				...(i % 3 === 0 ? { hours: { days: [1, 2, 3, 4, 5], from: 420, until: 1140 } } : {}),
				...(i % 3 === 1 ? { managedEndpoint: true, networks: [`10.${i % 12}.0.0/16`] } : {}),
				...(i % 7 === 0 ? { from: '2026-01-01', to: '2027-01-01' } : {})
			}
		};
	});
	const at = Date.UTC(2026, 10, 17, 13);
	let filled = 0;
	const ms = median(() => {
		const m = whoGetsWhat(at, teams, people, publications, grants);
		filled = m.has.reduce((n, c) => n + (c > 0 ? 1 : 0), 0);
	}, 5);
	if (filled < 5000) throw new Error(`only ${filled} cells have anybody: too easy`);
	report('who gets what: 500 teams, 200 publications, 50,000 people', ms, 'ms', 'under 300', ms < 300);
	// Any other team, wherever in the tree: hardly two of them are alike.
	const several = people.map((p, i) => (i % 5 ? p : { ...p, memberOf: [...p.memberOf, teamOf(39, i)] }));
	const times = median(() => whoGetsWhat(at, teams, several, publications, grants), 5) / ms;
	report('the same with one in five in a second team, against one each', times, '×', 'under 4', times < 4);
}

/** What the measuring process does: reads and parses both, or compares them. */
export async function readBoth(paths: string[]): Promise<number> {
	let n = 0;
	for (const path of paths)
		for await (const lines of linesOf(createReadStream(path, { encoding: 'utf8', highWaterMark: 1 << 20 })))
			for (const line of lines) if ((JSON.parse(line) as InventoryEntry) !== null) n++;
	return n;
}
