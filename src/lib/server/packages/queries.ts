import type { Clash, ClashKind } from '$lib/core/packages/clashes';
import type { Vouched } from '$lib/core/packages/fits';
import type { SystemKind } from '$lib/core/packages/inventory';
import type { PackageSpec } from '$lib/core/packages/spec';
import type { Choice } from '$lib/core/packages/tree';
import { byVersion } from '$lib/core/images/versions';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import type { ComparedSummary } from '../packing/compare';
import type { KeptPackage } from '../packing/layout';
import { fromJson, fromJsonOrNull } from '../db/json';

/** A package version that is kept; its spec has the systems that somebody vouched for since. */
export interface PackageVersionRow extends KeptPackage {
	name: string;
	number: string;
	at: number;
	by: string;
	jobId: number | null;
}

export interface PackageRow {
	name: string;
	/** Of two that clash the lower one wins. */
	position: number;
	/** Oldest first. */
	versions: PackageVersionRow[];
}

interface RawVersion extends Omit<PackageVersionRow, 'spec'> {
	spec: string;
}

/** Descriptions by their text: each is looked at once, however often its packages are asked for. */
const specs = new Map<string, PackageSpec | null>();
function specOf(text: string): PackageSpec | null {
	const known = specs.get(text);
	if (known !== undefined) return known;
	if (specs.size > 2000) specs.clear();
	const spec = fromJson<PackageSpec | null>('package_versions.spec', text);
	specs.set(text, spec);
	return spec;
}

/** The packages that there were at a moment, in the order in which they win. */
export function packagesAt(db: Db, at: number): PackageRow[] {
	// Who vouched for a version that is gone did not vouch for another of its number.
	const vouches = new Map<string, Vouched[]>();
	for (const v of all<{ name: string; number: string; system: string; by: string; at: number; why: string }>(
		db,
		'SELECT w.* FROM package_vouches w JOIN package_versions v ON v.name = w.name AND v.number = w.number AND v.made_at <= w.at WHERE w.at <= ? ORDER BY w.at',
		[at]
	)) {
		const key = `${v.name} ${v.number}`;
		const list = vouches.get(key) ?? [];
		const system = fromJson<SystemKind | null>('package_vouches.system', v.system);
		if (system) list.push({ system, by: v.by, at: v.at, why: v.why });
		vouches.set(key, list);
	}
	const versions = all<RawVersion>(
		db,
		`SELECT name, number, manifest, spec, size, added, unpacked, files, settings, made_at AS at, made_by AS by, job_id AS jobId
		 FROM package_versions WHERE made_at <= ? AND gone_at > ?`,
		[at, at]
	).flatMap((r): PackageVersionRow[] => {
		// What cannot be read cannot be delivered either: it is left out here, and is a finding.
		const spec = specOf(r.spec);
		return spec ? [{ ...r, spec: { ...spec, vouched: vouches.get(`${r.name} ${r.number}`) ?? [] } }] : [];
	});
	return all<{ name: string; position: number }>(
		db,
		`SELECT name, position FROM package_positions WHERE ${asOf('package_positions', '?')} ORDER BY position, name`,
		[at, at]
	)
		.map((p) => ({
			...p,
			versions: versions.filter((v) => v.name === p.name).sort((a, b) => byVersion(a.number, b.number))
		}))
		.filter((p) => p.versions.length > 0);
}

/** One package as it was at a moment, or null. */
export const packageAt = (db: Db, name: string, at: number): PackageRow | null =>
	packagesAt(db, at).find((p) => p.name === name) ?? null;

/** What people call a package: what it starts first. */
export const titleOf = (p: PackageRow): string => p.versions.at(-1)!.spec.targets[0]?.name ?? p.name;

export interface ClashRow {
	a: string;
	b: string;
	total: number;
	counts: Record<ClashKind, number>;
	clashes: Clash[];
}

/** Clashes between the newest versions of all packages as they were at a moment, the most first. */
export const clashesAt = (db: Db, at: number): ClashRow[] =>
	all<{ a: string; b: string; total: number; counts: string; clashes: string }>(
		db,
		`SELECT a, b, total, counts, clashes FROM package_clashes WHERE ${asOf('package_clashes', '?')} ORDER BY total DESC, a, b`,
		[at, at]
	).map((r) => ({
		...r,
		counts: fromJson<ClashRow['counts']>('package_clashes.counts', r.counts),
		clashes: fromJson<Clash[]>('package_clashes.clashes', r.clashes)
	}));

export interface CaptureRow {
	id: number;
	name: string;
	line: string | null;
	number: string | null;
	installer: string | null;
	jobId: number | null;
	by: string;
	since: number;
	until: number;
	/** `taking` while inventories are taken, `sorted` once compared, `packaged`, or `thrown away`. */
	state: 'taking' | 'sorted' | 'packaged' | 'thrown away';
	system: SystemKind | null;
	summary: ComparedSummary | null;
	/** What was found on the machine before anything was installed. */
	notes: string[];
	choices: Choice[];
	outcome: string | null;
	/** How its job stands, where it has one. */
	job: string | null;
}

const CAPTURES = `SELECT c.id, c.name, c.line_id AS line, c.number, c.installer, c.job_id AS jobId, c.by, c.since, c.until, c.state, c.system, c.summary, c.notes, c.choices,
	c.outcome, j.state AS job FROM captures c LEFT JOIN jobs j ON j.id = c.job_id`;

type RawCapture = Omit<CaptureRow, 'system' | 'summary' | 'notes' | 'choices'> & {
	system: string | null;
	summary: string | null;
	notes: string;
	choices: string;
};
const fromRaw = (r: RawCapture): CaptureRow => ({
	...r,
	system: fromJsonOrNull<SystemKind>('captures.system', r.system),
	summary: fromJsonOrNull<ComparedSummary>('captures.summary', r.summary),
	notes: fromJson<string[]>('captures.notes', r.notes),
	choices: fromJson<Choice[]>('captures.choices', r.choices)
});

/** Captures begun up to a moment, newest first. */
export const capturesAt = (db: Db, at: number, limit = 20): CaptureRow[] =>
	all<RawCapture>(db, `${CAPTURES} WHERE c.since <= ? ORDER BY c.id DESC LIMIT ?`, [at, limit]).map(fromRaw);

/** What was decided at the newest other capture that a package was made of; null where nothing was. */
export function earlierChoices(db: Db, name: string, than: number): { of: string; choices: Choice[] } | null {
	const row = one<{ outcome: string; choices: string }>(
		db,
		`SELECT outcome, choices FROM captures WHERE state = 'packaged' AND id <> ? AND choices <> '[]' AND outcome LIKE ? || ' %' ORDER BY id DESC LIMIT 1`,
		[than, name]
	);
	return row ? { of: row.outcome, choices: fromJson<Choice[]>('captures.choices', row.choices) } : null;
}

/** One capture, or null. */
export function captureById(db: Db, id: number): CaptureRow | null {
	const row = one<RawCapture>(db, `${CAPTURES} WHERE c.id = ?`, [id]);
	return row ? fromRaw(row) : null;
}
