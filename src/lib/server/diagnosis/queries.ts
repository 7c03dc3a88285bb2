import type { Finding, Remedy } from '$lib/core/diagnosis/findings';
import type { Fact } from '$lib/core/why/explained';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { COUNTED_WHEN_FOUND, peopleAffected } from './affected';
import { fromJson, fromJsonOrNull } from '../db/json';

/** A finding as it stands at a moment. */
export interface FindingRow {
	id: number;
	kind: Finding['kind'];
	subjectKind: string;
	subject: string;
	site: string | null;
	since: number;
	until: number;
	title: string;
	/** Counted for the moment asked about, or with the figures in its facts; every screen says the same. */
	people: number;
	facts: Fact[];
	remedy: Remedy | null;
}

interface RawFinding {
	id: number;
	kind: Finding['kind'];
	subject_kind: string;
	subject_id: string;
	site_id: string | null;
	since: number;
	until: number;
	title: string;
	people: number;
	facts: string;
	remedy: string | null;
}

/** Findings that were open at a moment. */
export const findingsAt = (db: Db, at: number): FindingRow[] =>
	all<RawFinding>(db, `SELECT * FROM findings WHERE ${asOf('findings', '?')}`, [at, at]).map((f) => fromRaw(db, f, at));

/** One finding, open or over, as of a moment; null when there is none. */
export function findingById(db: Db, id: number, at: number): FindingRow | null {
	const row = one<RawFinding>(db, 'SELECT * FROM findings WHERE id = ?', [id]);
	return row ? fromRaw(db, row, Math.min(at, row.until - 1)) : null;
}

function fromRaw(db: Db, f: RawFinding, at: number): FindingRow {
	const remedy = fromJsonOrNull<NonNullable<FindingRow['remedy']>>('findings.remedy', f.remedy);
	return {
		id: f.id,
		kind: f.kind,
		subjectKind: f.subject_kind,
		subject: f.subject_id,
		site: f.site_id,
		since: f.since,
		until: f.until,
		title: f.title,
		people: COUNTED_WHEN_FOUND.has(f.kind)
			? f.people
			: peopleAffected(db, { kind: f.kind, subject: f.subject_id, people: f.people, remedy, since: f.since }, at),
		facts: fromJson<Fact[]>('findings.facts', f.facts),
		remedy
	};
}
