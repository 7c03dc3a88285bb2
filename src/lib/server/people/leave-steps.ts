import type { Afterwards, SessionsEnd } from '$lib/core/people/handover';
import { FOREVER, SECOND } from '$lib/core/time/units';
import { sleep } from '../context';
import { all, one, run, type Db } from '../db';
import { changeAt, closeAllAt, closeAt, putAt } from '../db/intervals';
import { recordOf, writePerson } from '../directory';
import { forgetFactors } from '../identity/factor';
import { endInvitations } from '../identity/invitations';
import { stepHandler } from '../jobs/step';
import { StepFailed } from '../providers';
import { belongingsOf, handoverOf, type Handed } from './handovers';

interface Agreed {
	person: number;
	sessions: SessionsEnd;
	words: string;
	to: string | null;
	after: Afterwards;
	keepDays: number;
	/** When they leave, ms UTC; null where others say so. */
	ends: number | null;
}

const loginOf = (db: Db, person: number): string =>
	one<{ login: string }>(db, 'SELECT login FROM people WHERE id = ?', [person])!.login;
const numberOf = (db: Db, login: string | null): number | null =>
	login === null ? null : (one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login])?.id ?? null);
const operatorOf = (db: Db, login: string | null): number | null =>
	login === null
		? null
		: (one<{ id: number }>(db, 'SELECT id FROM operators WHERE login = ? AND disabled = 0', [login])?.id ?? null);

const NOTHING: Handed = { answersFor: [], reports: [], schedules: [] };

/** Lets people report to somebody else, where our own list keeps them. */
function reportTo(db: Db, logins: readonly string[], to: string, now: number): void {
	for (const login of logins) {
		const r = recordOf(db, login, now);
		if (r?.source === 'here') writePerson(db, r.id, { ...r, manager: to }, now);
	}
}

export const leaveSteps = {
	'people.agree': stepHandler<Agreed>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const p = recordOf(db, loginOf(db, input.person), now)!;
					if (input.ends !== null && p.ends !== input.ends) writePerson(db, p.id, { ...p, ends: input.ends }, now);
					putAt(
						db,
						'handovers',
						{
							person_id: p.id,
							stage: 'agreed',
							sessions: input.sessions,
							words: input.words,
							to_id: numberOf(db, input.to),
							after: input.after,
							keep_days: input.keepDays,
							handed: JSON.stringify(NOTHING),
							by: job.by
						},
						now
					);
					run(db, 'DELETE FROM handover_refusals WHERE person_id = ?', [p.id]);
				}
			};
		}
	}),

	'people.shut': stepHandler<{ person: number }>({
		async run({ ctx, input }) {
			return {
				write: (db) => {
					run(db, 'DELETE FROM sign_ins WHERE person_id = ?', [input.person]);
					forgetFactors(db, input.person);
					endInvitations(db, input.person, ctx.clock.now());
				}
			};
		}
	}),

	'people.end-sessions': stepHandler<{ person: number; wait: number; words: string }>({
		async run({ ctx, input, key, each, cancelled, job }) {
			const open = () =>
				all<{ id: number }>(ctx.db, `SELECT id FROM sessions WHERE person_id = ? AND until = ${FOREVER}`, [
					input.person
				]).map((s) => s.id);
			if (input.wait > 0) {
				for (const s of open()) await ctx.providers.agent.message(s, input.words, key(`message ${s}`)).catch(() => {});
				const until = ctx.clock.now() + input.wait;
				while (open().length && ctx.clock.now() < until && !cancelled()) await sleep(ctx.clock, 5 * SECOND);
			}
			const { done, failed } = await each(open().map(String), 4, (s, k) =>
				ctx.providers.agent.signOut(Number(s), `signed out: they have left, by ${job.by}`, k)
			);
			return { result: { 'signed out': done.length, ...(failed.length ? { failed: failed.length } : {}) } };
		}
	}),

	'people.hand-over': stepHandler<{ person: number }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const login = loginOf(db, input.person);
					const h = handoverOf(db, input.person, now);
					if (!h) throw new StepFailed('nothing is agreed for them any more');
					const b = belongingsOf(db, login, now);
					const ours = b.reports.filter((r) => !r.told).map((r) => r.login);
					for (const p of b.answersFor) changeAt(db, 'publications', { id: p.id }, { owner: h.to }, now);
					if (h.to !== null) reportTo(db, ours, h.to, now);
					// Whether their account in the console is shut by now or not: what ran in its name is found by its number.
					const operator = one<{ id: number }>(db, 'SELECT id FROM operators WHERE login = ?', [login]);
					const heir = operatorOf(db, h.to);
					const schedules =
						operator && heir !== null
							? all<{ id: number }>(db, `SELECT id FROM schedules WHERE operator_id = ? AND until = ${FOREVER}`, [
									operator.id
								]).map((s) => s.id)
							: [];
					for (const id of schedules) run(db, 'UPDATE schedules SET operator_id = ? WHERE id = ?', [heir, id]);
					run(
						db,
						`UPDATE requests SET answer = 'declined', answered_at = ?, answered_by = ?, words = 'They have left.' WHERE person_id = ? AND answered_at IS NULL`,
						[now, job.by, input.person]
					);
					const handed: Handed = {
						answersFor: b.answersFor.map((p) => p.id),
						reports: h.to === null ? [] : ours,
						schedules
					};
					changeAt(
						db,
						'handovers',
						{ person_id: input.person },
						{ stage: 'handed', handed: JSON.stringify(handed) },
						now
					);
					run(db, 'DELETE FROM handover_refusals WHERE person_id = ?', [input.person]);
				}
			};
		}
	}),

	'people.return': stepHandler<{ person: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const login = loginOf(db, input.person);
					const p = recordOf(db, login, now)!;
					if (p.source === 'here' && p.ends < FOREVER) writePerson(db, p.id, { ...p, ends: FOREVER }, now);
					const h = handoverOf(db, p.id, now);
					if (h && h.to !== null) {
						for (const id of h.handed.answersFor)
							if (one(db, `SELECT 1 FROM publications WHERE id = ? AND owner = ? AND until = ${FOREVER}`, [id, h.to]))
								changeAt(db, 'publications', { id }, { owner: login }, now);
						reportTo(
							db,
							h.handed.reports.filter((r) => recordOf(db, r, now)?.manager === h.to),
							login,
							now
						);
						const operator = one<{ id: number }>(db, 'SELECT id FROM operators WHERE login = ?', [login]);
						for (const id of operator ? h.handed.schedules : [])
							run(db, `UPDATE schedules SET operator_id = ? WHERE id = ? AND until = ${FOREVER}`, [operator!.id, id]);
					}
					closeAt(db, 'handovers', { person_id: p.id }, now);
					run(db, 'DELETE FROM handover_refusals WHERE person_id = ?', [p.id]);
				}
			};
		}
	}),

	'people.clear': stepHandler<{ person: number; to: string | null }>({
		async run({ ctx, input, key }) {
			const now = ctx.clock.now();
			const login = loginOf(ctx.db, input.person);
			const bytes =
				input.to === null
					? (await ctx.providers.files.removeProfile(login, key('profile')), 0)
					: await ctx.providers.files.handProfile(login, input.to, key('profile'));
			return {
				write: (db) => {
					run(db, 'UPDATE people SET profile = 0 WHERE id = ?', [input.person]);
					if (input.to !== null) run(db, 'UPDATE people SET profile = profile + ? WHERE login = ?', [bytes, input.to]);
					closeAllAt(db, 'grants', { person_id: input.person }, now);
					closeAllAt(db, 'fetched', { person_id: input.person }, now);
					changeAt(db, 'handovers', { person_id: input.person }, { stage: 'cleared' }, now);
					run(db, 'DELETE FROM handover_refusals WHERE person_id = ?', [input.person]);
				},
				result: input.to === null ? {} : { bytes }
			};
		}
	})
};
