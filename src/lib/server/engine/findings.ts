import { LRUCache } from 'lru-cache';
import { offeredFor, ownFindings, type Finding, type Remedy } from '$lib/core/diagnosis/findings';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import { AREAS } from '../areas';
import type { Context } from '../context';
import { all, one, run } from '../db';
import { closeAt } from '../db/intervals';
import type { Unreadable } from '../db/json';
import { isStorage } from '../db/storage';
import { peopleAffected } from '../diagnosis';
import { blockOf } from '../plans';

/** Everything that is compared again and again. */
const COMPARISONS = AREAS.flatMap((a) => a.comparisons ?? []);

/** What of it is due beside what every sweep compares. A finding of the rest stays open in between. */
export interface Deeper {
	hour: boolean;
	forecast: boolean;
	/** What blocks the remedies: nobody is there to press them while a past is made. */
	remedies: boolean;
}

/** How long what blocks a remedy is taken to hold. */
const FORESEEN_FOR = 10 * MINUTE;

/** Remedies that are computed anew in one sweep; the others keep what was known of them until their turn comes. */
const FORESEEN_AT_ONCE = 20;

/** What blocks the remedies of findings: computed as plans are, and kept for a while, since a plan is dear and a sweep is often. */
export class Remedies {
	private readonly known = new LRUCache<string, { blocked: string | null; at: number }>({ max: 2000 });
	private sweep = 0;
	private asked = 0;

	constructor(private readonly ctx: Context) {}

	async blockOf(subject: string, remedy: Remedy, now: number): Promise<string | null> {
		if (this.sweep !== now) [this.sweep, this.asked] = [now, 0];
		const key = `${subject} ${remedy.kind} ${JSON.stringify(remedy.input)}`;
		const known = this.known.get(key);
		if (known && (now - known.at < FORESEEN_FOR || this.asked >= FORESEEN_AT_ONCE)) return known.blocked;
		if (this.asked >= FORESEEN_AT_ONCE) return null;
		this.asked++;
		const blocked = await blockOf(this.ctx, remedy.kind, remedy.input).catch((e: unknown) => {
			if (isStorage(e)) throw e;
			// Something it asks is out of reach: whoever drafts it will be told what.
			return null;
		});
		this.known.set(key, { blocked, at: now });
		return blocked;
	}
}

/** Compares what ought to agree, and keeps what does not as findings with their time. */
export async function sweepFindings(
	ctx: Context,
	now: number,
	deeper: Deeper,
	own: { troubles: ReadonlyMap<string, { words: string; since: number }>; unreadable: Unreadable[] } = {
		troubles: new Map(),
		unreadable: []
	},
	remedies?: Remedies
): Promise<void> {
	const { db } = ctx;
	const due = COMPARISONS.filter((c) => c.every === 'sweep' || deeper[c.every]);
	const found: Finding[] = [];
	for (const c of due) found.push(...(await c.look(ctx, now)));
	found.push(
		...ownFindings(
			[...own.troubles].map(([part, trouble]) => ({ part, ...trouble })),
			own.unreadable
		)
	);
	const foreseen = remedies ?? new Remedies(ctx);
	for (const [i, f] of deeper.remedies ? found.entries() : [])
		found[i] = await offeredFor(f, (remedy) => foreseen.blockOf(f.subject.id, remedy, now));
	const passedOver = new Set<string>(COMPARISONS.filter((c) => !due.includes(c)).flatMap((c) => c.kinds));
	db.transaction(() => {
		const open = all<{ id: number; kind: string; subject_id: string }>(
			db,
			`SELECT id, kind, subject_id FROM findings WHERE until = ${FOREVER}`
		);
		for (const o of open) {
			const still = found.some((f) => f.kind === o.kind && f.subject.id === o.subject_id);
			if (!still && !passedOver.has(o.kind)) closeAt(db, 'findings', { id: o.id }, now);
		}
		for (const f of found) {
			const since = one<{ since: number }>(
				db,
				`SELECT since FROM findings WHERE kind = ? AND subject_id = ? AND until = ${FOREVER}`,
				[f.kind, f.subject.id]
			)?.since;
			const people = peopleAffected(
				db,
				{ kind: f.kind, subject: f.subject.id, people: f.people ?? 0, remedy: f.remedy, since: since ?? now },
				now
			);
			run(
				db,
				`INSERT INTO findings(kind, subject_kind, subject_id, site_id, since, until, title, people, facts, remedy) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)
				 ON CONFLICT(kind, subject_id) WHERE until = ${FOREVER} DO UPDATE SET title = excluded.title, people = excluded.people, facts = excluded.facts, remedy = excluded.remedy`,
				[
					f.kind,
					f.subject.kind,
					f.subject.id,
					f.site,
					now,
					FOREVER,
					f.title,
					people,
					JSON.stringify(f.facts),
					f.remedy ? JSON.stringify(f.remedy) : null
				]
			);
		}
	}).immediate();
}
