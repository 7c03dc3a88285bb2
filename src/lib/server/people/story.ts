import { durationWords } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import type { CardLine, CardSection } from '$lib/core/why/card';
import { all, type Db } from '../db';
import { shelfOf } from '../shelf';

/** Lines of each part of a story. */
const MOST = 12;

const lines = (title: string, found: CardLine[]): CardSection[] =>
	found.length ? [{ kind: 'lines', title, lines: found.slice(0, MOST) }] : [];

/** What somebody has had and done through time, up to a moment: machines, what they can open, asked for, sessions. */
export function storyOf(
	db: Db,
	{ id, login, zone }: { id: number; login: string; zone: string },
	at: number
): CardSection[] {
	const when = (t: number) => momentWords(zone, t);
	const machines = all<{ name: string; since: number; until: number }>(
		db,
		`SELECT m.name, min(pl.since) AS since, max(pl.until) AS until FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id
		 WHERE pl.owner_id = ? AND pl.since <= ? GROUP BY m.id ORDER BY until DESC, since DESC LIMIT ${MOST}`,
		[id, at]
	);
	const shelf = (shelfOf(db, login, at, true) ?? []).filter(
		(s) => s.standing === 'required' || s.standing === 'fetched'
	);
	const asked = all<{ name: string; at: number; answer: string | null; answeredAt: number | null }>(
		db,
		`SELECT p.internal_name AS name, r.at, CASE WHEN r.answered_at <= @at THEN r.answer END AS answer, r.answered_at AS answeredAt
		 FROM requests r JOIN publications p ON p.id = r.publication_id AND p.since <= r.at AND p.until > r.at
		 WHERE r.person_id = @id AND r.at <= @at ORDER BY r.at DESC LIMIT ${MOST}`,
		{ id, at }
	);
	const sessions = all<{ id: number; machine: string; since: number; until: number }>(
		db,
		`SELECT s.id, m.name AS machine, s.since, s.until FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.person_id = ? AND s.since <= ? ORDER BY s.since DESC LIMIT ${MOST}`,
		[id, at]
	);
	return [
		...lines(
			'Machines, now and before',
			machines.map((m) => ({
				words: m.name,
				card: `machine/${m.name}`,
				note: m.until > at ? `since ${when(m.since)}` : `until ${when(m.until)}`
			}))
		),
		...lines(
			'On their shelf',
			shelf.map((s) => ({
				words: s.name,
				card: `publication/${s.id}`,
				note: `${s.standing}${s.allowed ? '' : ', shut for now'}`
			}))
		),
		...lines(
			'Asked for',
			asked.map((r) => ({
				words: r.name,
				note: r.answer === null ? `waits since ${when(r.at)}` : `${r.answer} ${when(r.answeredAt!)}`
			}))
		),
		...lines(
			'Sessions',
			sessions.map((s) => ({
				words: s.machine,
				card: `session/${s.id}`,
				note: s.until > at ? `since ${when(s.since)}` : `${when(s.since)}, ${durationWords(s.until - s.since)}`
			}))
		)
	];
}
