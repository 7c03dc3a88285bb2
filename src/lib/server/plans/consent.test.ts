import { beforeEach, describe, expect, it } from 'vitest';
import { HOUR } from '$lib/core/time/units';
import { all, one, putSetting, run } from '../db';
import { needsAt } from '../house/needs';
import { assign, callerNow } from '../identity/accounts';
import type { Caller } from '../identity/caller';
import { noticesOf } from '../jobs/notices';
import { carryOutItself } from '../people/itself';
import { Harness, OWNER, QUIET, testEstate } from '../testing/harness';
import { CONSENT, consentRules } from './consent';
import {
	askedPlan,
	commitPlan,
	consentTo,
	declinePlan,
	discardPlan,
	draftPlan,
	NotAllowed,
	planById,
	PlanRefused,
	recomputePlan,
	WaitsForConsent
} from './index';

let h: Harness;
let second: Caller;
const POLICY = { pool: 'quay', headroomIn: 5 };

/** Another operator, with a role for the whole. */
function another(id: number, login: string, role: string): Caller {
	run(h.db, `INSERT INTO operators(id, login, name, password) VALUES (?, ?, ?, '')`, [id, login, `Other ${login}`]);
	assign(h.db, login, { role, part: '', ends: null, by: 'the test' }, h.lab.now);
	return callerNow(h.db, 'operator', id, h.lab.now)!;
}

beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	second = another(2, 'second', 'operator');
	await h.carryOut('consent.rules', { kinds: ['policy.set'], people: 2 });
});

const asked = async (kind = 'policy.set', input: unknown = POLICY, caller = OWNER, at: number | null = null) => {
	const plan = await draftPlan(h.ctx, caller, kind, input, 'screen');
	const ask = await commitPlan(h.ctx, caller, plan.id, at, 'screen').catch((e: unknown) => e);
	expect(ask).toBeInstanceOf(WaitsForConsent);
	return plan.id;
};
const words = (facts: readonly { words: string }[]) => facts.map((f) => f.words).join('; ');
const changesOf = (kind: string) =>
	all<{ by: string }>(h.db, 'SELECT by FROM changes WHERE kind = ? ORDER BY number', [kind]);

describe('a plan that needs a second pair of eyes', () => {
	it('waits, makes no job, and stands on Today; another consents, and both are on record', async () => {
		const id = await asked();
		expect(one(h.db, 'SELECT count(*) AS n FROM jobs WHERE plan_id = ?', [id])).toEqual({ n: 0 });
		expect(planById(h.db, id)).toMatchObject({ state: 'draft', asked: { by: OWNER.name, notBefore: null } });
		const today = needsAt(h.db, { terms: [] }, h.lab.now).needs.filter((n) => n.href === `/plans/${id}`);
		expect(today.map((n) => n.unit)).toEqual(['consent asked for']);
		const seen = await askedPlan(h.ctx, second, id);
		expect(seen).toMatchObject({ since: [], against: [], mayAnswer: null });
		expect(words(seen.ask.why)).toMatch(/plans of this kind wait/);
		const job = await h.finish(await consentTo(h.ctx, second, id));
		expect([job.state, job.by]).toEqual(['done', `${OWNER.name}, with the consent of ${second.name}`]);
		expect(changesOf('policy.set')).toEqual([{ by: job.by }]);
		await expect(consentTo(h.ctx, second, id)).rejects.toBeInstanceOf(PlanRefused);
	});

	it('is consented to by nobody who has asked for it, may not commit it, or is a token', async () => {
		const id = await asked();
		await expect(consentTo(h.ctx, OWNER, id)).rejects.toThrow(/your own/);
		await expect(consentTo(h.ctx, another(3, 'third', 'helpdesk'), id)).rejects.toThrow(NotAllowed);
		await expect(consentTo(h.ctx, { ...second, kind: 'token' }, id)).rejects.toThrow(/not by a token/);
		await expect(commitPlan(h.ctx, second, id, null, 'screen')).rejects.toThrow(
			/waits for the consent of another already/
		);
		expect(planById(h.db, id)!.state).toBe('draft');
	});

	it('by a token is not consented to by whoever made the token', async () => {
		const hash = 'a'.repeat(64);
		run(
			h.db,
			`INSERT INTO tokens(id, name, role, hash, made_at, made_by, operator_id) VALUES (9, 'night', 'operator', ?, 0, ?, ?)`,
			[hash, 'As they were called', second.id]
		);
		const token = callerNow(h.db, 'token', 9, h.lab.now)!;
		const id = await asked('policy.set', POLICY, token);
		await expect(consentTo(h.ctx, second, id)).rejects.toThrow(/your own/);
		expect((await h.finish(await consentTo(h.ctx, OWNER, id))).state).toBe('done');
	});

	it('waits by how many it touches, whatever its kind; what touches fewer does not', async () => {
		const few = await h.draft('grant.add', { publication: 'desk', team: 'visitors', channels: [] });
		expect(few.effects.people.length).toBeLessThanOrEqual(2);
		await h.finish(await h.commit(few.id));
		await asked('publication.switch', { publication: 'desk', off: true });
	});

	it('shows what has become different since, and is refused where it has become worse', async () => {
		const id = await asked('grant.remove', { grant: 1 });
		await h.carryOut('people.put', {
			people: [{ login: 'gus', name: 'Gus Holm', site: 'quay', team: 'harbour', begins: '2026-11-01' }]
		});
		const seen = await askedPlan(h.ctx, second, id);
		expect(words(seen.since)).toMatch(/1 person more: Gus Holm/);
		expect(words(seen.worse)).toMatch(/Gus Holm would now be affected/);
		expect(seen.against).toEqual([]);
		await expect(consentTo(h.ctx, second, id)).rejects.toThrow(/Gus Holm would now be affected/);
		await expect(consentTo(h.ctx, second, id, 'what they have not seen')).rejects.toBeInstanceOf(PlanRefused);
		// Computed anew it is another plan, for which consent is asked anew.
		await recomputePlan(h.ctx, OWNER, id);
		expect(planById(h.db, id)!.asked).toBeNull();
		await expect(commitPlan(h.ctx, OWNER, id, null, 'screen')).rejects.toBeInstanceOf(WaitsForConsent);
		expect((await h.finish(await consentTo(h.ctx, second, id))).state).toBe('done');
	});

	it('is taken back by whoever asked, and by nobody else: others may decline', async () => {
		const id = await asked('grant.remove', { grant: 1 });
		await expect(recomputePlan(h.ctx, second, id)).rejects.toBeInstanceOf(NotAllowed);
		expect(() => discardPlan(h.ctx, second, id)).toThrow(/asked by .*they alone take it back/);
		expect(planById(h.db, id)!.asked).not.toBeNull();
		discardPlan(h.ctx, OWNER, id);
		expect(planById(h.db, id)!.state).toBe('discarded');
	});

	it('is consented to as it is now by whoever has seen just that', async () => {
		const id = await asked('grant.remove', { grant: 1 });
		await h.carryOut('people.put', {
			people: [{ login: 'gus', name: 'Gus Holm', site: 'quay', team: 'harbour', begins: '2026-11-01' }]
		});
		const { now } = await askedPlan(h.ctx, second, id);
		expect((await h.finish(await consentTo(h.ctx, second, id, now))).state).toBe('done');
	});

	it('asks once for what comes back the same by itself', async () => {
		const first = await asked();
		const again = await draftPlan(h.ctx, OWNER, 'policy.set', POLICY, 'screen');
		await expect(commitPlan(h.ctx, OWNER, again.id, null, 'screen')).rejects.toThrow(
			`the same waits for consent already: plan ${first}`
		);
		await asked('policy.set', { ...POLICY, headroomIn: 6 });
		await declinePlan(h.ctx, second, first, 'no');
		await expect(commitPlan(h.ctx, OWNER, again.id, null, 'screen')).rejects.toBeInstanceOf(WaitsForConsent);
	});

	it('that gives rights away is consented to by whoever has them, for whoever has them still', async () => {
		await h.commit((await h.draft('consent.rules', { kinds: ['assignment.give'] })).id).catch(() => {});
		putSetting(
			h.db,
			CONSENT,
			JSON.stringify({ kinds: ['assignment.give'], people: null, sessions: null, machines: null })
		);
		const id = await asked('assignment.give', { login: 'second', role: 'owner' });
		const clerk = { ...another(5, 'clerk', 'owner'), rights: { identity: 'commit' } as const };
		await expect(consentTo(h.ctx, clerk, id)).rejects.toThrow(/more than you have/);
		run(h.db, `UPDATE assignments SET role = 'auditor' WHERE operator_id = 1`);
		await expect(consentTo(h.ctx, another(6, 'other', 'owner'), id)).rejects.toThrow();
		expect(one(h.db, 'SELECT count(*) AS n FROM assignments WHERE operator_id = 2')).toEqual({ n: 1 });
	});

	it('is declined with words, which whoever asked reads; and thrown away', async () => {
		const id = await asked();
		await declinePlan(h.ctx, second, id, 'not on a Friday');
		expect(planById(h.db, id)).toMatchObject({ state: 'draft', asked: null });
		expect(words(planById(h.db, id)!.refused!)).toBe(`${second.name} did not consent: not on a Friday`);
		expect(needsAt(h.db, { terms: [] }, h.lab.now).needs.map((n) => n.unit)).toContain('consent declined');
		await expect(commitPlan(h.ctx, OWNER, id, null, 'screen')).rejects.toBeInstanceOf(WaitsForConsent);
		discardPlan(h.ctx, OWNER, id);
		expect(one(h.db, 'SELECT count(*) AS n FROM consents WHERE answer IS NULL')).toEqual({ n: 0 });
	});

	it('is not carried out once whoever asked for it has been shut out', async () => {
		const id = await asked();
		run(h.db, 'UPDATE operators SET disabled = 1 WHERE id = 1');
		await expect(consentTo(h.ctx, second, id)).rejects.toThrow(/shut out/);
	});

	it('keeps the time it was committed for', async () => {
		const at = h.lab.now + 3 * HOUR;
		const id = await asked('policy.set', POLICY, OWNER, at);
		const job = await consentTo(h.ctx, second, id);
		expect(one(h.db, 'SELECT state, not_before FROM jobs WHERE id = ?', [job])).toEqual({
			state: 'waiting',
			not_before: at
		});
	});

	it('goes without in an emergency by whoever may, saying why, and everybody is told', async () => {
		const plan = await h.draft('policy.set', POLICY);
		await expect(commitPlan(h.ctx, second, plan.id, null, 'screen', 'the quay is down')).rejects.toThrow(NotAllowed);
		const job = await h.finish(await commitPlan(h.ctx, OWNER, plan.id, null, 'screen', 'the quay is down'));
		expect(job.state).toBe('done');
		expect(changesOf('policy.set')).toEqual([{ by: `${OWNER.name}, without consent: the quay is down` }]);
		for (const id of [1, 2])
			expect(
				noticesOf(h.db, id)
					.map((n) => n.title)
					.join()
			).toMatch(/without consent.*the quay is down/);
		expect(needsAt(h.db, { terms: [] }, h.lab.now).needs.map((n) => n.unit)).toContain('done without consent');
	});

	it('is none of what was arranged before, nor of what somebody does for themselves', async () => {
		putSetting(
			h.db,
			CONSENT,
			JSON.stringify({ kinds: ['policy.set', 'own.rename'], people: 0, sessions: 0, machines: 0 })
		);
		expect(await carryOutItself(h.ctx, 'arranged', 'policy.set', POLICY)).toHaveProperty('job');
	});
});

describe('which plans wait', () => {
	it('is not changed without consent as long as any does', async () => {
		const none = { kinds: [], people: null, sessions: null, machines: null };
		const id = await asked('consent.rules', none);
		await expect(consentTo(h.ctx, second, id)).rejects.toThrow(/may not commit/);
		expect((await h.finish(await consentTo(h.ctx, another(4, 'fourth', 'owner'), id))).state).toBe('done');
		expect(consentRules(h.db)).toEqual(none);
		await h.carryOut('policy.set', POLICY);
	});

	it('are all that touch anything where what is kept cannot be read', async () => {
		putSetting(h.db, CONSENT, '{"kinds":');
		await asked('publication.switch', { publication: 'desk', off: true });
	});

	it('names kinds that there are, and says when nobody else could agree', async () => {
		await expect(h.draft('consent.rules', { kinds: ['nothing.such'] })).rejects.toThrow(/no kind of plan/);
		const plan = await h.draft('consent.rules', { kinds: ['policy.set'], people: 9 });
		expect(words(plan.warnings)).toMatch(/nobody but Runa Solheim/);
	});
});
