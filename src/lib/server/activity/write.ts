import { EFFECTS, WAYS } from '$lib/core/reach/rules';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { one, run, setting, statement, type Db } from '../db';
import { insertRow } from '../db/rows';
import type { Known } from '../manifest';
import type { Flow, Observation } from '../providers';

/** What may be asked of somebody and not be given; kept as its number. */
export const ASKED = ['sign in', 'factor', 'reason', 'window'] as const;

/** The last hour that was summed up, counted from 1970; null: none yet. */
export function rolledUpTo(db: Db): number | null {
	const kept = setting(db, ROLLED);
	return kept === null ? null : Number(kept);
}
export const ROLLED = 'activity summed up';

/** Ids of names that come again and again. Forgotten with a batch that was not taken in: what it added is not there then. */
class Names {
	readonly targets = {
		site: new Map<string, number>(),
		service: new Map<string, number>(),
		channel: new Map<string, number>()
	};
	readonly rules = new Map<string, number>();
	readonly from = new Map<string, number>();
	readonly endpoints = new Map<string, number | null>();
	next: number;
	constructor(db: Db) {
		// Of the last hours alone: a table of years is not read through for it.
		const last = one<{ id: number }>(
			db,
			`SELECT max(coalesce((SELECT max(id) FROM activity_now), 0),
				coalesce((SELECT max(id) FROM activity WHERE hour >= (SELECT max(hour) FROM activity) - 3), 0)) AS id`
		);
		this.next = last!.id + 1;
	}
}
const kept = new WeakMap<Db, Names>();
/** So many names are kept in mind. */
const MOST = 50_000;

export const forgetNames = (db: Db): void => void kept.delete(db);

/** Keeps the id of a name in mind, and answers with it. */
function keep(known: Map<string, number>, key: string, id: number): number {
	if (known.size >= MOST) known.clear();
	known.set(key, id);
	return id;
}

/** Finds the row of a name, or writes one. */
const rowOf = (db: Db, table: string, columns: readonly string[], values: readonly string[]): number =>
	one<{ id: number }>(db, `SELECT id FROM ${table} WHERE ${columns.map((c) => `${c} = ?`).join(' AND ')}`, [...values])
		?.id ??
	Number(
		run(db, `INSERT INTO ${table}(${columns.join(', ')}) VALUES (${columns.map(() => '?').join(', ')})`, [...values])
			.lastInsertRowid
	);

const KINDS: readonly Flow['target']['kind'][] = ['site', 'service', 'channel'];
const whole = (n: number): boolean => Number.isSafeInteger(n) && n >= 0;
/** Whether what a provider tells can be so: what cannot, or lies ahead of its being told, is left out. */
const sound = (f: Flow, told: number): boolean =>
	whole(f.since) &&
	whole(f.until) &&
	whole(f.decisions) &&
	whole(f.down) &&
	whole(f.up) &&
	f.until >= f.since &&
	f.until <= told + MINUTE &&
	f.decisions > 0 &&
	EFFECTS.includes(f.effect) &&
	WAYS.includes(f.way) &&
	(f.asked === null || ASKED.includes(f.asked)) &&
	KINDS.includes(f.target.kind) &&
	(f.said === undefined || typeof f.said === 'string') &&
	f.target.name.length <= 300 &&
	f.rule.length <= 100 &&
	f.address.length <= 100;

/** The columns of a row, of an hour that goes on (`activity_now`) and of one that is over and summed up (`activity`). */
export const COLUMNS =
	'hour, person_id, id, began, ended, target_id, rule_id, decided, through, asked, way, endpoint_id, machine_id, from_id, decisions, down, up';
/** Of what somebody says that something is for so much is kept. */
const LONGEST_REASON = 200;
const INSERT = `INSERT INTO activity_now(${COLUMNS}) VALUES (${COLUMNS.replace(/\w+/g, '?')})`;

/** Rows of hours that are over, and of those that go on: SQL of all that `where` says of either. */
export const rowsOf = (columns: string, where: string): string =>
	`SELECT ${columns} FROM activity WHERE ${where} UNION ALL SELECT ${columns} FROM activity_now WHERE ${where}`;

/** Writes down what people reached and were refused. What is told of an hour that was summed up already is counted in the first that was not. */
export function takeActivity(db: Db, o: Extract<Observation, { kind: 'activity' }>, known: Known): void {
	let names = kept.get(db);
	if (!names) kept.set(db, (names = new Names(db)));
	const { targets, rules, from, endpoints } = names;
	const first = (rolledUpTo(db) ?? -1) + 1;
	const insert = statement(db, INSERT);
	const reasons: [hour: number, person: number, id: number, words: string][] = [];
	for (const f of o.flows) {
		if (!sound(f, o.at)) continue;
		const person = f.person === null ? 0 : known.person(f.person);
		if (person === undefined) continue;
		const { kind, name } = f.target;
		const ofKind = targets[kind];
		const hour = Math.max(first, Math.floor(f.until / HOUR));
		if (f.said && person > 0) reasons.push([hour, person, names.next, f.said.slice(0, LONGEST_REASON)]);
		// A row at a time, its values as they are: quicker than many rows in one statement, or than a list of them.
		insert.run(
			hour,
			person,
			names.next++,
			f.since,
			f.until,
			ofKind.get(name) ?? keep(ofKind, name, rowOf(db, 'reached_targets', ['kind', 'name'], [kind, name])),
			f.rule === '' ? 0 : (rules.get(f.rule) ?? keep(rules, f.rule, rowOf(db, 'reached_rules', ['rule'], [f.rule]))),
			EFFECTS.indexOf(f.effect),
			f.through ? 1 : 0,
			f.asked === null ? null : ASKED.indexOf(f.asked),
			WAYS.indexOf(f.way),
			f.endpoint && endpointOf(db, endpoints, f.endpoint),
			(f.machine === null ? undefined : known.machine(f.machine)) ?? null,
			from.get(f.address) ?? keep(from, f.address, rowOf(db, 'reached_from', ['address'], [f.address])),
			f.decisions,
			f.down,
			f.up
		);
	}
	for (const [hour, person_id, id, words] of reasons) insertRow(db, 'activity_reasons', { hour, person_id, id, words });
}

function endpointOf(db: Db, known: Map<string, number | null>, e: { serial: string; key: string }): number | null {
	let id = known.get(e.key);
	if (id === undefined) {
		id =
			one<{ id: number }>(db, 'SELECT id FROM endpoints WHERE serial = ? AND key = ?', [e.serial, e.key])?.id ?? null;
		if (known.size >= MOST) known.clear();
		// One that has not called in yet may do so later.
		if (id !== null) known.set(e.key, id);
	}
	return id;
}
