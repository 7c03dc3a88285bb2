import * as v from 'valibot';
import { NO_CONSENT, type ConsentRules } from '$lib/core/access/consent';
import type { Fact } from '$lib/core/why/explained';
import type { Caller } from '../identity/caller';
import { all, one, run, setting, type Db } from '../db';
import { fromJson } from '../db/json';
import { insertRow } from '../db/rows';

/** The setting that holds which plans wait for another, and the kind of plan that changes it. */
export const CONSENT = 'consent';
export const CONSENT_KIND = 'consent.rules';

const most = v.nullable(v.pipe(v.number(), v.integer(), v.minValue(0)));
const schema = v.object({ kinds: v.array(v.string()), people: most, sessions: most, machines: most });

/**
 * Which plans wait for the consent of another. Where what is kept cannot be read, every plan that touches anybody or anything waits: who
 * could break the setting could do without it otherwise.
 */
export function consentRules(db: Db): ConsentRules {
	const text = setting(db, CONSENT);
	if (text === null) return NO_CONSENT;
	try {
		return v.parse(schema, JSON.parse(text));
	} catch {
		return { kinds: [], people: 0, sessions: 0, machines: 0 };
	}
}

/** A plan that waits for the consent of another. */
export interface Asked {
	id: number;
	by: string;
	at: number;
	/** When it is to be carried out, ms UTC; null: at once. */
	notBefore: number | null;
	why: Fact[];
}

/** The same, with who has asked. */
export interface Ask extends Asked {
	plan: number;
	byKind: Caller['kind'];
	byId: number;
	assignment: number | null;
	via: string;
}

const COLUMNS =
	'id, plan_id AS plan, asked_at AS at, by, by_kind AS byKind, by_id AS byId, assignment_id AS assignment, not_before AS notBefore, via, why';
type Raw = Omit<Ask, 'why'> & { why: string };
const fromRaw = (r: Raw): Ask => ({ ...r, why: fromJson<Fact[]>('consents.why', r.why) });

/** What a plan waits for; null where it waits for nobody. */
export function askOf(db: Db, plan: number): Ask | null {
	const row = one<Raw>(db, `SELECT ${COLUMNS} FROM consents WHERE plan_id = ? AND answer IS NULL`, [plan]);
	return row ? fromRaw(row) : null;
}

/** A plan of the same kind and input that waits already, asked by the same: what comes back by itself asks once. Null where there is none. */
export const alikeAsked = (db: Db, plan: number, { kind, id }: Caller): number | null =>
	one<{ id: number }>(
		db,
		`SELECT o.id FROM plans p JOIN plans o ON o.kind = p.kind AND o.input = p.input AND o.id <> p.id AND o.state = 'draft'
		 JOIN consents c ON c.plan_id = o.id AND c.answer IS NULL AND c.by_kind = @kind AND c.by_id = @by WHERE p.id = @plan`,
		{ plan, kind, by: id }
	)?.id ?? null;

/** Plans that waited for another at a moment, ms UTC, the longest first. */
export const asksAt = (db: Db, at: number): (Ask & { title: string })[] =>
	all<Raw & { title: string }>(
		db,
		`SELECT c.${COLUMNS.replaceAll(', ', ', c.')}, p.title FROM consents c JOIN plans p ON p.id = c.plan_id
		 WHERE c.asked_at <= @at AND (c.answered_at IS NULL OR c.answered_at > @at) AND p.state <> 'discarded' ORDER BY c.asked_at LIMIT 200`,
		{ at }
	).map((r) => ({ ...fromRaw(r), title: r.title }));

/** Plans that were committed without consent in an emergency, or declined, of late: `since` to `at`, ms UTC. */
export const answeredWithout = (
	db: Db,
	since: number,
	at: number
): {
	plan: number;
	title: string;
	answer: 'glass' | 'declined';
	by: string;
	answeredBy: string;
	at: number;
	words: string;
	state: string;
}[] =>
	all(
		db,
		`SELECT c.plan_id AS plan, p.title, c.answer, c.by, c.answered_by AS answeredBy, c.answered_at AS at, c.words, p.state FROM consents c JOIN plans p ON p.id = c.plan_id
		 WHERE c.answer IN ('glass', 'declined') AND c.answered_at > ? AND c.answered_at <= ? ORDER BY c.answered_at DESC LIMIT 50`,
		[since, at]
	);

/** Writes down that a plan waits, or that it did not. */
export function writeAsk(
	db: Db,
	plan: number,
	caller: Caller,
	ask: { notBefore: number | null; via: string; why: Fact[]; at: number; glass?: string }
): number {
	return insertRow(db, 'consents', {
		plan_id: plan,
		asked_at: ask.at,
		by: caller.name,
		by_kind: caller.kind,
		by_id: caller.id,
		assignment_id: caller.assignment,
		not_before: ask.notBefore,
		via: ask.via,
		why: JSON.stringify(ask.why),
		...(ask.glass === undefined
			? {}
			: { answer: 'glass', answered_at: ask.at, answered_by: caller.name, words: ask.glass })
	})!;
}

/** Writes the answer to what a plan waits for; nothing where it does not wait. */
export const answerAsk = (
	db: Db,
	plan: number,
	answer: 'consented' | 'declined' | 'withdrawn',
	by: string,
	at: number,
	words = ''
): void =>
	void run(
		db,
		'UPDATE consents SET answer = ?, answered_by = ?, answered_at = ?, words = ? WHERE plan_id = ? AND answer IS NULL',
		[answer, by, at, words, plan]
	);
