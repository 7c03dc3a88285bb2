import { PART_FACETS, partWords, readPart, type Part } from '$lib/core/access/part';
import type { Effects, Touched } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Ref } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { OBJECT_KINDS } from './kinds';
import { inPart } from './view';

/** What of a plan lies outside a part: that it does, and how much; not what it is. */
export interface Outside {
	people: number;
	sessions: number;
	machines: number;
	endpoints: number;
	/** Objects that it changes and that are not theirs to change; those that they see by name. */
	objects: string[];
	unseen: number;
}

const split = (object: string) => {
	const n = object.indexOf('/');
	const rest = object.slice(n + 1);
	return { kind: object.slice(0, n), rest, first: rest.split('/')[0]! };
};

/** Whether an object is in the part that a view shows. */
export function isSeen(view: Db, object: string): boolean {
	const { kind, rest, first } = split(object);
	const known = Object.hasOwn(OBJECT_KINDS, kind) ? OBJECT_KINDS[kind]! : null;
	if (!known) return false;
	if (known.seen === 'all') return true;
	const { table, key } = known.seen;
	return (
		one(view, `SELECT 1 FROM ${table} WHERE ${key} = ? LIMIT 1`, [known.by === 'first' ? first : rest]) !== undefined
	);
}

/** Whether somebody who is there for a part has an object to change. */
function isHeld(view: Db, part: Part, object: string): boolean {
	const { kind, first } = split(object);
	if (!isSeen(view, object)) return false;
	const { held } = OBJECT_KINDS[kind]!;
	const facets = PART_FACETS.filter((f) => part[f]);
	if (!facets.every((f) => held.includes(f))) return false;
	if (['line', 'version', 'build', 'rollout'].includes(kind)) return part.line!.includes(first);
	const { at } = OBJECT_KINDS[kind]!;
	if (at)
		return (
			one(view, `SELECT 1 FROM ${at} WHERE id = ? AND site_id IN (SELECT id FROM within_site)`, [first]) !== undefined
		);
	// Of a team that is named, or of one below it.
	if (kind === 'team')
		return (
			one(
				view,
				`SELECT 1 FROM team_nesting WHERE team_id = ? AND above_id IN (SELECT value FROM json_each(?)) LIMIT 1`,
				[first, JSON.stringify(part.team)]
			) !== undefined
		);
	return true;
}

/**
 * What of a plan lies outside a part, as things are now; null where all of it is within.
 * @param objects what it changes
 * @param whole the database of the whole estate
 */
export function outside(
	whole: Db,
	partText: string,
	{ objects, effects }: { objects: readonly string[]; effects: Effects },
	at: number
): Outside | null {
	const view = inPart(whole, partText, at, true);
	const { part } = readPart(partText);
	const notHeld = objects.filter((o) => !isHeld(view, part, o));
	const count = (touched: readonly Touched[], kind: string) =>
		touched.filter((t) => !isSeen(view, `${t.kind || kind}/${t.id}`)).length;
	const found: Outside = {
		people: count(effects.people, 'person'),
		sessions: count(effects.sessionsEnded, 'session'),
		machines: count(effects.machines, 'machine'),
		endpoints: count(effects.endpoints ?? [], 'endpoint'),
		objects: notHeld.filter((o) => isSeen(view, o)),
		unseen: notHeld.filter((o) => !isSeen(view, o)).length
	};
	// Who changes nothing that can be told to be of a part changes something of the whole.
	const any = found.people + found.sessions + found.machines + found.endpoints + notHeld.length > 0;
	return any || objects.length === 0 ? found : null;
}

/** Whether somebody who is there for a part sees what a fact is about; a job or plan of somebody else is one they may not. */
export const seesRef = (whole: Db, part: string, ref: Ref, at: number): boolean => {
	const view = inPart(whole, part, at);
	if (ref.kind === 'job') return one(view, 'SELECT 1 FROM jobs WHERE id = ?', [ref.id]) !== undefined;
	if (ref.kind === 'plan') return one(view, 'SELECT 1 FROM plans WHERE id = ?', [ref.id]) !== undefined;
	return isSeen(view, `${ref.kind}/${ref.id}`);
};

/** What lies outside a part, in words that name nothing of it. */
export function outsideWords(part: string, o: Outside): string {
	const touched = [
		[o.people, 'person', 'people'],
		[o.sessions, 'session', 'sessions'],
		[o.machines, 'machine', 'machines'],
		[o.endpoints, 'endpoint', 'endpoints'],
		[o.unseen, 'other thing', 'other things']
	] as const;
	const words = [
		...touched.filter(([n]) => n > 0).map(([n, single, many]) => countWords(n, single, many)),
		...(o.objects.length ? [`what others share (${o.objects.slice(0, 5).join(', ')})`] : [])
	];
	return words.length
		? `You are there ${part}: this touches ${words.join(', ')} outside of it.`
		: `You are there ${part}: this is of the whole estate.`;
}

/** A part in words, with names for its ids. */
export function partName(db: Db, text: string): string {
	const { part } = readPart(text);
	const names = { site: 'sites', team: 'teams', line: 'lines' } as const;
	return partWords(part, (facet, id) => {
		const sql =
			facet === 'pool'
				? 'SELECT name FROM pools WHERE id = ? ORDER BY until DESC LIMIT 1'
				: `SELECT name FROM ${names[facet as keyof typeof names]} WHERE id = ?`;
		return all<{ name: string }>(db, sql, [id])[0]?.name ?? id;
	});
}
