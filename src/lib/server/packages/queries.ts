import type { Clash, ClashKind } from '$lib/core/packages/clashes';
import type { Vouched } from '$lib/core/packages/fits';
import type { SystemKind } from '$lib/core/packages/inventory';
import type { PackageSpec } from '$lib/core/packages/spec';
import type { Choice } from '$lib/core/packages/tree';
import { byVersion } from '$lib/core/images/versions';
import { all, one, type Db } from '../db';
import type { ComparedSummary } from './compare';
import type { KeptPackage } from './layout';

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

/** The packages that there were at a moment, in the order in which they win. */
export function packagesAt(db: Db, at: number): PackageRow[] {
	const vouches = new Map<string, Vouched[]>();
	for (const v of all<{ name: string; number: string; system: string; by: string; at: number; why: string }>(
		db,
		'SELECT * FROM package_vouches WHERE at <= ? ORDER BY at',
		[at]
	)) {
		const key = `${v.name} ${v.number}`;
		const list = vouches.get(key) ?? [];
		list.push({ system: JSON.parse(v.system) as SystemKind, by: v.by, at: v.at, why: v.why });
		vouches.set(key, list);
	}
	const versions = all<RawVersion>(
		db,
		`SELECT name, number, manifest, spec, size, added, unpacked, files, settings, made_at AS at, made_by AS by, job_id AS jobId
		 FROM package_versions WHERE made_at <= ? AND gone_at > ?`,
		[at, at]
	).map((r): PackageVersionRow => {
		const spec = JSON.parse(r.spec) as PackageSpec;
		return { ...r, spec: { ...spec, vouched: [...spec.vouched, ...(vouches.get(`${r.name} ${r.number}`) ?? [])] } };
	});
	return all<{ name: string; position: number }>(
		db,
		'SELECT name, position FROM package_positions WHERE since <= ? AND until > ? ORDER BY position, name',
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
		'SELECT a, b, total, counts, clashes FROM package_clashes WHERE since <= ? AND until > ? ORDER BY total DESC, a, b',
		[at, at]
	).map((r) => ({
		...r,
		counts: JSON.parse(r.counts) as ClashRow['counts'],
		clashes: JSON.parse(r.clashes) as Clash[]
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
	system: r.system === null ? null : (JSON.parse(r.system) as SystemKind),
	summary: r.summary === null ? null : (JSON.parse(r.summary) as ComparedSummary),
	notes: JSON.parse(r.notes) as string[],
	choices: JSON.parse(r.choices) as Choice[]
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
	return row ? { of: row.outcome, choices: JSON.parse(row.choices) as Choice[] } : null;
}

/** One capture, or null. */
export function captureById(db: Db, id: number): CaptureRow | null {
	const row = one<RawCapture>(db, `${CAPTURES} WHERE c.id = ?`, [id]);
	return row ? fromRaw(row) : null;
}
