import { LRUCache } from 'lru-cache';
import { signInFindings, type VersionSignIns } from '$lib/core/diagnosis/findings';
import { gather } from '$lib/core/measures/gather';
import { median } from '$lib/core/measures/quantile';
import { DAY } from '$lib/core/time/units';
import type { Phase, PhaseName } from '$lib/core/watch/phases';
import type { Context } from '../context';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';
import { fromJson } from '../db/json';
import type { Comparison } from '../manifest';

export const signInComparisons: readonly Comparison[] = [
	{ kinds: ['slow sign-ins'], every: 'hour', look: (ctx, now) => signInFindings(signInsByVersion(ctx, now)) }
];

/** Phases of so many sign-ins are kept in mind: each is looked at every hour of a day, and never becomes another. */
const KEPT = 5000;
const kept = new WeakMap<Db, LRUCache<number, Phase[]>>();

function phasesOf(db: Db): (id: number, written: string) => Phase[] {
	let known = kept.get(db);
	if (!known) kept.set(db, (known = new LRUCache({ max: KEPT })));
	return (id, written) => {
		let phases = known.get(id);
		if (!phases) {
			phases = fromJson<Phase[]>('connections.phases', written);
			// What cannot be read may be mended.
			if (phases.length > 0) known.set(id, phases);
		}
		return phases;
	};
}

/** Medians of the phases of the last day's sign-ins, by version. */
function signInsByVersion(ctx: Context, now: number): VersionSignIns[] {
	const rows = all<{ id: number; line: string; version: string; phases: string }>(
		ctx.db,
		`SELECT c.id, p.line_id AS line, p.version, c.phases FROM connections c
		 JOIN machine_spots p ON p.machine_id = c.machine_id AND p.since <= c.ended AND p.until > c.ended
		 WHERE c.ended > ? AND c.ended <= ? AND c.result = 'open'`,
		[now - DAY, now]
	);
	const groups = new Map<
		string,
		{
			line: string;
			version: string;
			count: number;
			phases: Map<PhaseName, number[]>;
			parts: Map<PhaseName, Map<string, number[]>>;
			/** Settings groups that parts are of, by the part's name. */
			ofGroups: Map<string, string>;
		}
	>();
	const read = phasesOf(ctx.db);
	for (const row of rows) {
		const phases = read(row.id, row.phases);
		// A session that was taken up again skips most phases.
		if (!phases.some((p) => p.name === 'shell')) continue;
		const key = `${row.line}/${row.version}`;
		let g = groups.get(key);
		if (!g)
			groups.set(
				key,
				(g = {
					line: row.line,
					version: row.version,
					count: 0,
					phases: new Map(),
					parts: new Map(),
					ofGroups: new Map()
				})
			);
		g.count++;
		for (const p of phases) {
			gather(g.phases, p.name, p.ms);
			for (const part of p.parts ?? []) {
				let parts = g.parts.get(p.name);
				if (!parts) g.parts.set(p.name, (parts = new Map()));
				gather(parts, part.name, part.ms);
				if (part.group !== undefined) g.ofGroups.set(part.name, part.group);
			}
		}
	}
	const held = new Set(
		all<{ key: string }>(
			ctx.db,
			`SELECT line_id || '/' || number AS key FROM version_holds WHERE ${asOf('version_holds', '@now')}`,
			{ now }
		).map((h) => h.key)
	);
	return [...groups].map(([key, g]) => ({
		line: g.line,
		version: g.version,
		held: held.has(key),
		count: g.count,
		phases: Object.fromEntries([...g.phases].map(([name, ms]) => [name, median(ms)])),
		worstPart: Object.fromEntries(
			[...g.parts].map(([name, parts]) => [
				name,
				[...parts]
					.map(([part, ms]) => ({ name: part, ms: median(ms), group: g.ofGroups.get(part) }))
					.reduce((a, b) => (b.ms > a.ms ? b : a))
			])
		)
	}));
}
