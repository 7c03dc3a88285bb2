import * as v from 'valibot';
import { may, whoMay, within, AREA_WORDS } from '$lib/core/access/rights';
import { outlineOf, whatGotWorse, type Effects, type Outline } from '$lib/core/plans/effects';
import type { Fact } from '$lib/core/why/explained';
import { createHash } from 'node:crypto';
import { callerNow, operators } from '../identity/accounts';
import type { Caller } from '../identity/caller';
import type { Context } from '../context';
import { all, one, run, type Db } from '../db';
import { changeByNumber } from '../changes';
import { askToCancel } from '../jobs';
import { inPart, outside, outsideWords, partName, seesRef } from '../part';
import { sinceAsked, whyConsent } from '$lib/core/access/consent';
import { insertRow } from '../db/rows';
import { addNotice } from '../jobs/notices';
import { alikeAsked, answerAsk, askOf, CONSENT_KIND, consentRules, writeAsk, type Ask, type Asked } from './consent';
import { planKindOf } from './catalogue';
import { InputProblem, type Draft, type PlanKind, type StepSpec } from './kind';
import { hideSecrets, sealSecrets } from './secrets';
import { fromJson, fromJsonOrNull } from '../db/json';

export interface PlanRow {
	id: number;
	kind: string;
	input: unknown;
	title: string;
	effects: Effects;
	warnings: Fact[];
	blocks: Fact[];
	reasons: Fact[];
	objects: string[];
	steps: StepSpec[];
	undo: { kind: string; input: unknown } | null;
	undoWords: string;
	state: 'draft' | 'committed' | 'discarded';
	/** Why it was refused at commit, until it is recomputed. */
	refused: Fact[] | null;
	by: string;
	via: string;
	at: number;
	jobId: number | null;
	/** Where it waits for the consent of another. */
	asked: Asked | null;
}

/** The caller's role does not reach that far. */
export class NotAllowed extends Error {
	readonly problem = 'not-allowed';
	constructor(words: string) {
		super(words);
		this.name = 'NotAllowed';
	}
}

/** The plan no longer holds: what changed since it was computed. */
export class PlanRefused extends Error {
	readonly problem = 'refused';
	constructor(readonly facts: Fact[]) {
		super(facts.map((f) => f.words).join('; '));
		this.name = 'PlanRefused';
	}
}

/** What was asked for is not there. */
export class NotFound extends Error {
	readonly problem = 'not-found';
	constructor(what: string) {
		super(`There is no ${what}.`);
		this.name = 'NotFound';
	}
}

/**
 * Computes a plan and keeps it as a draft. Throws NotFound for an unknown kind, NotAllowed when the caller's role
 * may not draft it, InputProblem when the input is wrong.
 */
export async function draftPlan(
	ctx: Context,
	caller: Caller,
	kind: string,
	input: unknown,
	via: string
): Promise<PlanRow> {
	const k = planKindOf(kind);
	if (!k) throw new NotFound(`kind of plan called ${kind}`);
	allow(caller, k.area, 'draft');
	wordsWithin(input, k.longTexts ?? []);
	allowGiven(ctx, caller, k, parseInput(k.schema, input));
	const kept = sealSecrets(ctx.vault, input, k.secrets ?? []);
	const draft = await computeFor(ctx, caller, k, parseInput(k.schema, kept));
	const id = Number(
		run(
			ctx.db,
			`INSERT INTO plans(kind, input, title, effects, warnings, blocks, reasons, touches, steps, undo, undo_words, state, refused, by, via, at)
			 VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?, ?, 'draft', NULL, ?, ?, ?)`,
			[kind, JSON.stringify(kept), ...draftColumns(ctx.db, draft), caller.name, via, ctx.clock.now()]
		).lastInsertRowid
	);
	return planById(ctx.db, id)!;
}

/**
 * What a plan of this kind would be blocked by right now, in words; null where it could be committed. Nothing is kept.
 */
export async function blockOf(ctx: Context, kind: string, input: unknown): Promise<string | null> {
	try {
		const { blocks } = await compute(ctx, kind, parseInput(planKindOf(kind)!.schema, input));
		return blocks.length ? blocks.map((b) => b.words).join('; ') : null;
	} catch (e) {
		if (e instanceof InputProblem) return e.problems.map((p) => p.words).join(' ');
		throw e;
	}
}

/** What a plan would do in short, worked out as for a draft and kept nowhere. Throws as `draftPlan` does. */
export async function foreseePlan(ctx: Context, caller: Caller, kind: string, input: unknown): Promise<Outline> {
	const k = planKindOf(kind);
	if (!k) throw new NotFound(`kind of plan called ${kind}`);
	allow(caller, k.area, 'draft');
	wordsWithin(input, k.longTexts ?? []);
	allowGiven(ctx, caller, k, parseInput(k.schema, input));
	return outlineOf(
		await computeFor(ctx, caller, k, parseInput(k.schema, sealSecrets(ctx.vault, input, k.secrets ?? [])))
	);
}

/** What waits for consent is taken back by whoever asked for it: others consent, or decline. */
function allowBack(db: Db, caller: Caller, id: number): void {
	const ask = askOf(db, id);
	if (ask && !(ask.byKind === caller.kind && ask.byId === caller.id))
		throw new NotAllowed(
			`It waits for consent, asked by ${ask.by}: they alone take it back. Whoever may consent to it may decline it.`
		);
}

/** Computes a draft again, from how things are now. */
export async function recomputePlan(ctx: Context, caller: Caller, id: number): Promise<PlanRow> {
	const plan = draftOrThrow(ctx, caller, id);
	const k = planKindOf(plan.kind)!;
	allow(caller, k.area, 'draft');
	allowBack(ctx.db, caller, id);
	const draft = await computeFor(ctx, caller, k, parseInput(k.schema, givenIn(ctx.db, id)));
	ctx.db
		.transaction(() => {
			allowBack(ctx.db, caller, id);
			// What consent was asked for is another plan now.
			answerAsk(ctx.db, id, 'withdrawn', caller.name, ctx.clock.now());
			keepDraft(ctx, id, draft);
		})
		.immediate();
	return planById(ctx.db, id)!;
}

/** Writes what a draft has come to. */
function keepDraft(ctx: Context, id: number, draft: Draft): void {
	run(
		ctx.db,
		`UPDATE plans SET title = ?, effects = ?, warnings = ?, blocks = ?, reasons = ?, touches = ?, steps = ?, undo = ?, undo_words = ?, refused = NULL, at = ? WHERE id = ? AND state = 'draft'`,
		[...draftColumns(ctx.db, draft), ctx.clock.now(), id]
	);
}

/** The plan has been committed by one, and waits for the consent of another. */
export class WaitsForConsent extends Error {
	readonly problem = 'refused';
	constructor(
		readonly ask: number,
		facts: readonly Fact[]
	) {
		super(`It waits for the consent of another: ${facts.map((f) => f.words).join('; ')}`);
		this.name = 'WaitsForConsent';
	}
}

/** What somebody does of the estate’s own accord, or for themselves, waits for nobody: it was arranged by a plan, or concerns them alone. */
const isOfItself = (caller: Caller, via: string): boolean =>
	caller.kind === 'person' || (via === 'schedule' && caller.id === 0);

/**
 * Commits a draft, now or at a time (ms UTC): recomputes it, refuses when anything it touches has been changed by
 * another plan since, when it is blocked, or when its effect has become worse; else makes the job. All in one
 * transaction. Returns the job's number. Throws WaitsForConsent where another has to agree first.
 * @param emergency why it is committed without that consent, by somebody who may
 */
export async function commitPlan(
	ctx: Context,
	caller: Caller,
	id: number,
	at: number | null,
	via: string,
	emergency?: string
): Promise<number> {
	const plan = draftOrThrow(ctx, caller, id);
	const k = planKindOf(plan.kind)!;
	allow(caller, k.area, 'commit');
	allowGiven(ctx, caller, k, parseInput(k.schema, givenIn(ctx.db, id)));
	if (emergency !== undefined) allow(caller, 'emergency', 'commit');
	if (at !== null && at <= ctx.clock.now())
		throw new InputProblem([{ field: 'at', words: 'That time has passed. Choose a later one, or commit now.' }]);
	const fresh = await asItIsNow(ctx, caller, plan);
	if ('why' in fresh) return refuse(ctx.db, id, fresh.why);
	const outcome = ctx.db
		.transaction((): { job: number } | { why: Fact[] } | { ask: number; needs: Fact[] } => {
			const now = ctx.clock.now();
			const agreed = draftOrThrow(ctx, caller, id);
			const why = whyNot(ctx.db, agreed, fresh.draft);
			if (why.length) {
				run(ctx.db, 'UPDATE plans SET refused = ? WHERE id = ?', [JSON.stringify(why), id]);
				return { why };
			}
			const needs = isOfItself(caller, via)
				? []
				: whyConsent(consentRules(ctx.db), plan.kind, fresh.draft.effects, CONSENT_KIND);
			if (needs.length && emergency === undefined) {
				if (agreed.asked)
					return {
						why: [
							{ words: `it waits for the consent of another already, asked by ${agreed.asked.by}`, side: 'against' }
						]
					};
				const same = alikeAsked(ctx.db, id, caller);
				if (same !== null)
					return { why: [{ words: `the same waits for consent already: plan ${same}`, side: 'against' }] };
				// What consent is asked for is what it does as of now.
				keepDraft(ctx, id, fresh.draft);
				return { ask: writeAsk(ctx.db, id, caller, { notBefore: at, via, why: needs, at: now }), needs };
			}
			answerAsk(ctx.db, id, 'withdrawn', caller.name, now);
			if (!needs.length) return { job: makeJob(ctx, plan, fresh.draft, caller, at, via, caller.name) };
			writeAsk(ctx.db, id, caller, { notBefore: at, via, why: needs, at: now, glass: emergency! });
			const job = makeJob(ctx, plan, fresh.draft, caller, at, via, `${caller.name}, without consent: ${emergency}`);
			tellEverybody(ctx, job, `${caller.name} did without consent: ${fresh.draft.title} (${emergency})`);
			return { job };
		})
		.immediate();
	if ('why' in outcome) throw new PlanRefused(outcome.why);
	if ('ask' in outcome) throw new WaitsForConsent(outcome.ask, outcome.needs);
	return outcome.job;
}

/** Makes the job that carries a plan out. In a transaction. */
function makeJob(
	ctx: Context,
	plan: PlanRow,
	draft: Draft,
	caller: Caller,
	at: number | null,
	via: string,
	by: string
): number {
	const now = ctx.clock.now();
	const job = insertRow(ctx.db, 'jobs', {
		plan_id: plan.id,
		kind: plan.kind,
		title: draft.title,
		state: at === null ? 'queued' : 'waiting',
		by,
		operator_id: caller.kind === 'operator' ? caller.id : null,
		made_at: now,
		not_before: at ?? now,
		expected: 0,
		by_kind: caller.kind,
		by_id: caller.id,
		assignment_id: caller.assignment
	})!;
	layOut(ctx.db, plan.id, job, draft);
	run(ctx.db, `UPDATE plans SET state = 'committed', refused = NULL, job_id = ?, via = ? WHERE id = ?`, [
		job,
		via,
		plan.id
	]);
	return job;
}

/** Tells every operator who may sign in: what was done in an emergency is no secret of whoever did it. */
function tellEverybody(ctx: Context, job: number, title: string): void {
	for (const o of operators(ctx.db, ctx.clock.now())) {
		if (o.disabled) continue;
		addNotice(ctx.db, { operator: o.id, job, at: ctx.clock.now(), title, good: false });
		ctx.providers.mail.send(o.login, 'Done without consent', title, `job-${job}-glass-${o.login}`).catch(() => {});
	}
}

/** A plan that waits for consent, as it is by now. */
export interface AskedNow {
	ask: Asked;
	/** How it differs from what it was when consent was asked for. */
	since: Fact[];
	/** What of that is worse: it has to be consented to as it is now. */
	worse: Fact[];
	/** Why it cannot be consented to at all. */
	against: Fact[];
	/** Stands for what it does now. */
	now: string;
	/** Why whoever looks may not answer; null where they may. */
	mayAnswer: string | null;
}

/** What stands for what a plan does: another when anybody or anything else is touched by it. */
const stands = (e: Effects): string =>
	createHash('sha256')
		.update(
			JSON.stringify(
				[e.people, e.sessionsEnded, e.machines, e.endpoints ?? []].map((of) =>
					of.map((t) => `${t.kind}/${t.id}`).sort()
				)
			)
		)
		.digest('hex');

/** A plan that waits for consent, as whoever is asked for it sees it: how it differs by now from what it was then, and why it cannot be. */
export async function askedPlan(ctx: Context, caller: Caller, id: number): Promise<AskedNow> {
	const { plan, ask, asker } = await askedOrThrow(ctx, caller, id);
	const fresh = asker ? await asItIsNow(ctx, asker, plan) : { why: [goneFact(ask)] };
	return {
		ask: askShown(ask)!,
		since: 'draft' in fresh ? sinceAsked(plan.effects, fresh.draft.effects) : [],
		worse: 'draft' in fresh ? whatGotWorse(plan.effects, fresh.draft.effects) : [],
		against: 'draft' in fresh ? [...changedSince(ctx.db, id), ...fresh.draft.blocks] : fresh.why,
		now: 'draft' in fresh ? stands(fresh.draft.effects) : '',
		mayAnswer: whyNotAnswer(ctx, caller, plan, ask)
	};
}

const goneFact = (ask: Ask): Fact => ({ words: `${ask.by}, who asked, has been shut out since`, side: 'against' });

async function askedOrThrow(
	ctx: Context,
	caller: Caller,
	id: number
): Promise<{ plan: PlanRow; ask: Ask; asker: Caller | null }> {
	const plan = draftOrThrow(ctx, caller, id);
	const ask = askOf(ctx.db, id);
	if (!ask) throw new PlanRefused([{ words: `plan ${id} waits for nobody’s consent`, side: 'against' }]);
	return { plan, ask, asker: callerNow(ctx.db, ask.byKind, ask.byId, ctx.clock.now(), ask.assignment) };
}

/** Why somebody may not answer what a plan waits for; null where they may. Nobody consents to their own, nor a token to anything. */
function whyNotAnswer(ctx: Context, caller: Caller, plan: PlanRow, ask: Ask): string | null {
	const { area } = planKindOf(plan.kind)!;
	if (caller.kind !== 'operator') return 'Consent is given by an operator who is signed in, not by a token.';
	const maker =
		ask.byKind === 'token'
			? one<{ by: number | null }>(ctx.db, 'SELECT operator_id AS by FROM tokens WHERE id = ?', [ask.byId])?.by
			: ask.byKind === 'operator'
				? ask.byId
				: null;
	if (maker === caller.id) return 'It is your own: another has to consent to it.';
	if (!may(caller.rights, area, 'commit'))
		return `As ${caller.role} you may not commit plans for ${AREA_WORDS[area]}. ${whoMay(area, 'commit').join(', ')} may.`;
	return null;
}

/**
 * Consents to a plan that another has committed: it is computed once more, by the rules of a commit, and becomes a job. Returns its number.
 * @param now what it does as whoever consents has seen it: where it has become worse since consent was asked for, they agree to just that
 */
export async function consentTo(ctx: Context, caller: Caller, id: number, now?: string): Promise<number> {
	const { plan, ask, asker } = await askedOrThrow(ctx, caller, id);
	const not = whyNotAnswer(ctx, caller, plan, ask);
	if (not !== null) throw new NotAllowed(not);
	const k = planKindOf(plan.kind)!;
	if (!asker || !may(asker.rights, k.area, 'commit')) return refuse(ctx.db, id, [goneFact(ask)]);
	for (const both of [asker, caller]) allowGiven(ctx, both, k, parseInput(k.schema, givenIn(ctx.db, id)));
	// By what both may: who consents answers for it as who asked does.
	const fresh = await asItIsNow(ctx, asker, plan);
	if ('why' in fresh) return refuse(ctx.db, id, fresh.why);
	if (caller.part) await computeFor(ctx, caller, k, parseInput(k.schema, givenIn(ctx.db, id)));
	const outcome = ctx.db
		.transaction((): { job: number } | { why: Fact[] } => {
			const moment = ctx.clock.now();
			const agreed = draftOrThrow(ctx, caller, id);
			const seen = now !== undefined && now === stands(fresh.draft.effects);
			const why: Fact[] =
				askOf(ctx.db, id)?.id !== ask.id
					? [{ words: 'it was answered meanwhile', side: 'against' }]
					: [
							...changedSince(ctx.db, id),
							...fresh.draft.blocks,
							...(seen ? [] : whatGotWorse(agreed.effects, fresh.draft.effects))
						];
			if (why.length) {
				run(ctx.db, 'UPDATE plans SET refused = ? WHERE id = ?', [JSON.stringify(why), id]);
				return { why };
			}
			answerAsk(ctx.db, id, 'consented', caller.name, moment);
			const at = ask.notBefore !== null && ask.notBefore > moment ? ask.notBefore : null;
			const by = `${ask.by}, with the consent of ${caller.name}`;
			return { job: makeJob(ctx, plan, fresh.draft, asker, at, ask.via, by) };
		})
		.immediate();
	if ('why' in outcome) throw new PlanRefused(outcome.why);
	return outcome.job;
}

/** Says no to a plan that waits for consent, and why. It stays a draft; whoever asked is told. */
export async function declinePlan(ctx: Context, caller: Caller, id: number, words: string): Promise<void> {
	const { plan, ask, asker } = await askedOrThrow(ctx, caller, id);
	const not = whyNotAnswer(ctx, caller, plan, ask);
	if (not !== null) throw new NotAllowed(not);
	const why: Fact = { words: `${caller.name} did not consent: ${words}`, side: 'against', source: 'consent' };
	ctx.db
		.transaction(() => {
			answerAsk(ctx.db, id, 'declined', caller.name, ctx.clock.now(), words);
			run(ctx.db, 'UPDATE plans SET refused = ? WHERE id = ?', [JSON.stringify([why]), id]);
		})
		.immediate();
	if (asker?.kind === 'operator')
		ctx.providers.mail
			.send(asker.login, `No consent: ${plan.title}`, why.words, `ask-${ask.id}-declined`)
			.catch(() => {});
}

/**
 * Looks at a plan again whose job starts later than it was committed, by the very rules of a commit: whether whoever committed it still
 * may, whether another plan has changed what it touches, whether it is blocked or has become worse. When all holds, the job has the steps of
 * this look, and null is answered; else why not.
 */
export async function lookAgain(ctx: Context, job: number): Promise<Fact[] | null> {
	const row = one<{
		plan_id: number;
		by: string;
		by_kind: Caller['kind'] | null;
		by_id: number | null;
		assignment_id: number | null;
	}>(ctx.db, 'SELECT plan_id, by, by_kind, by_id, assignment_id FROM jobs WHERE id = ?', [job])!;
	const plan = planById(ctx.db, row.plan_id)!;
	const k = planKindOf(plan.kind);
	if (!k) return [{ words: `there is no kind of plan called ${plan.kind} any more`, side: 'against' }];
	let caller: Caller | null = null;
	if (row.by_kind !== null && row.by_id !== null) {
		caller = callerNow(ctx.db, row.by_kind, row.by_id, ctx.clock.now(), row.assignment_id);
		if (!caller) return [{ words: `${row.by}, who committed it, has been shut out since`, side: 'against' }];
		if (!may(caller.rights, k.area, 'commit'))
			return [
				{ words: `${row.by}, who committed it, is ${caller.role} now and may not commit it any more`, side: 'against' }
			];
		try {
			allowGiven(ctx, caller, k, parseInput(k.schema, givenIn(ctx.db, plan.id)));
		} catch (e) {
			if (!(e instanceof NotAllowed || e instanceof InputProblem)) throw e;
			return [{ words: e.message, side: 'against' }];
		}
	}
	const fresh = await asItIsNow(ctx, caller, plan);
	if ('why' in fresh) return fresh.why;
	return ctx.db
		.transaction((): Fact[] | null => {
			const why = whyNot(ctx.db, planById(ctx.db, plan.id)!, fresh.draft);
			if (why.length) return why;
			layOut(ctx.db, plan.id, job, fresh.draft);
			return null;
		})
		.immediate();
}

/** A plan computed from how things are now, or why it cannot be. */
async function asItIsNow(
	ctx: Context,
	caller: Caller | null,
	plan: PlanRow
): Promise<{ draft: Draft } | { why: Fact[] }> {
	const k = planKindOf(plan.kind)!;
	try {
		return { draft: await computeFor(ctx, caller, k, parseInput(k.schema, givenIn(ctx.db, plan.id))) };
	} catch (e) {
		if (e instanceof NotAllowed) return { why: [{ words: e.message, side: 'against' }] };
		if (!(e instanceof InputProblem)) throw e;
		return { why: e.problems.map((p) => ({ words: p.words, side: 'against' })) };
	}
}

/** Why a plan is not to be carried out as it has been agreed to; nothing when it is. */
function whyNot(db: Db, agreed: PlanRow, fresh: Draft): Fact[] {
	const changed = changedSince(db, agreed.id);
	return changed.length ? changed : [...fresh.blocks, ...whatGotWorse(agreed.effects, fresh.effects)];
}

/** Writes down what a job is to do, and that the plan was computed from this. */
function layOut(db: Db, plan: number, job: number, draft: Draft): void {
	run(db, 'DELETE FROM job_steps WHERE job_id = ?', [job]);
	draft.steps.forEach((s, n) =>
		run(
			db,
			`INSERT INTO job_steps(job_id, n, kind, words, input, expected, state) VALUES (?, ?, ?, ?, ?, ?, 'queued')`,
			[job, n, s.kind, s.words, JSON.stringify(s.input), Math.round(s.expected)]
		)
	);
	run(db, 'UPDATE jobs SET title = ?, expected = ? WHERE id = ?', [
		draft.title,
		draft.steps.reduce((n, s) => n + Math.round(s.expected), 0),
		job
	]);
	claim(db, draft.objects, plan);
	run(
		db,
		`UPDATE plans SET title = ?, effects = ?, warnings = ?, blocks = ?, reasons = ?, touches = ?, steps = ?, undo = ?, undo_words = ? WHERE id = ?`,
		// After the claim: what the plan itself counts up is what it was computed from.
		[...draftColumns(db, draft), plan]
	);
}

/** Throws a draft away. */
export function discardPlan(ctx: Context, caller: Caller, id: number): void {
	const plan = draftOrThrow(ctx, caller, id);
	allow(caller, planKindOf(plan.kind)!.area, 'draft');
	ctx.db
		.transaction(() => {
			allowBack(ctx.db, caller, id);
			answerAsk(ctx.db, id, 'withdrawn', caller.name, ctx.clock.now());
			run(ctx.db, `UPDATE plans SET state = 'discarded' WHERE id = ? AND state = 'draft'`, [id]);
		})
		.immediate();
}

/** The plan with this number, or null. */
export function planById(db: Db, id: number): PlanRow | null {
	const row = one<RawPlan>(db, 'SELECT * FROM plans WHERE id = ?', [id]);
	return row ? fromRaw(db, row) : null;
}

/** The input that a plan was drafted from, its secrets sealed. */
const givenIn = (db: Db, id: number): unknown =>
	fromJson<unknown>('plans.input', one<{ input: string }>(db, 'SELECT input FROM plans WHERE id = ?', [id])!.input);

/** Drafts that wait for somebody, newest first. */
export const openDrafts = (db: Db, limit = 20): PlanRow[] =>
	all<RawPlan>(db, `SELECT * FROM plans WHERE state = 'draft' ORDER BY id DESC LIMIT ?`, [limit]).map((r) =>
		fromRaw(db, r)
	);

function allow(caller: Caller, area: Parameters<typeof may>[1], level: 'draft' | 'commit'): void {
	if (!may(caller.rights, area, level)) {
		throw new NotAllowed(
			`As ${caller.role} you may not ${level} plans for ${AREA_WORDS[area]}. ${whoMay(area, level).join(', ')} may.`
		);
	}
}

/** Nobody gives away what they have not, nor has done what takes more than they have. */
function allowGiven(ctx: Context, caller: Caller, k: PlanKind, input: unknown): void {
	const given = k.gives?.(ctx, input);
	if (given && !within(given, caller.rights))
		throw new NotAllowed(`As ${caller.role} you may not give more than you have yourself.`);
	for (const { area, level } of k.takes?.(ctx, input) ?? [])
		if (!may(caller.rights, area, level))
			throw new NotAllowed(`As ${caller.role} you may not ${level} ${AREA_WORDS[area]}, which it takes.`);
}

/** A draft that whoever asks sees. */
function draftOrThrow(ctx: Context, caller: Caller, id: number): PlanRow {
	const plan = planById(seenBy(ctx, caller), id);
	if (!plan) throw new NotFound(`plan ${id}`);
	if (plan.state !== 'draft')
		throw new PlanRefused([
			{
				words: `plan ${id} has been ${plan.state} already`,
				side: 'against',
				...(plan.jobId ? { about: { kind: 'job', id: String(plan.jobId) } } : {})
			}
		]);
	return plan;
}

/** Characters that a text of an input may have, and one that names something. */
const TEXT = 4000;
const NAME = 200;
const NAMES =
	/^(name|title|internalName|login|label|group|owner|publication|package|pool|line|machine|site|version|number|person|team)$/;

/** Throws InputProblem where a text is longer than anything of its kind; `long`: fields, by their first part, that hold whole files. */
function wordsWithin(input: unknown, long: readonly string[]): void {
	const walk = (value: unknown, path: string[]): void => {
		if (typeof value === 'string') {
			if (long.includes(path[0] ?? '')) return;
			const most = NAMES.test(path.at(-1) ?? '') ? NAME : TEXT;
			if (value.length > most)
				throw new InputProblem([{ field: path.join('.'), words: `At most ${most} characters.` }]);
		} else if (typeof value === 'object' && value !== null)
			for (const [key, below] of Object.entries(value)) {
				if (key.length > NAME)
					throw new InputProblem([{ field: path.join('.'), words: 'A field has a name that is too long.' }]);
				walk(below, [...path, key]);
			}
	};
	walk(input, []);
}

/** Reads an input by its schema. Throws InputProblem with the path of each field. */
export function parseInput<S extends v.GenericSchema>(schema: S, input: unknown): v.InferOutput<S> {
	const parsed = v.safeParse(schema, input);
	if (parsed.success) return parsed.output;
	throw new InputProblem(
		parsed.issues.map((i) => ({ field: (i.path ?? []).map((p) => String(p.key)).join('.'), words: inputWords(i) }))
	);
}

/** What a schema has no words of its own for: a key that is missing or unknown, a value of another type. */
function inputWords(issue: v.BaseIssue<unknown>): string {
	const key = String(issue.path?.at(-1)?.key ?? 'the input');
	if ((issue.type === 'strict_object' || issue.type === 'object') && issue.path)
		return issue.expected === 'never' ? `There is no field ${key} here.` : `${key} is missing.`;
	if (issue.message.startsWith('Invalid type'))
		return issue.received === 'undefined'
			? `${key} is missing.`
			: `${key} has to be ${issue.expected}, not ${issue.received}.`;
	return issue.message;
}

/** The database as somebody may see it. */
const seenBy = ({ db, clock }: Context, caller: Caller): Db =>
	caller.part ? inPart(db, caller.part, clock.now()) : db;

/**
 * A plan as it is worked out for somebody: for whoever is there for a part of the estate first from what they see of it, so that what is
 * outside answers as what is not there; then from the whole, so that nothing is missed of what it does. Throws NotAllowed where that
 * reaches beyond their part.
 */
async function computeFor(ctx: Context, caller: Caller | null, k: PlanKind, input: unknown): Promise<Draft> {
	await ctx.catchUp?.();
	if (!caller?.part) return compute(ctx, k.kind, input);
	const { part } = caller;
	const now = ctx.clock.now();
	try {
		await k.draft({ ...ctx, db: inPart(ctx.db, part, now, true) }, input);
	} catch (e) {
		if (isAnswer(e)) throw e;
		// It missed something that it cannot do without: that lies outside, as will be found.
	}
	const draft = await compute(ctx, k.kind, input);
	const objects = k.decides?.(ctx, input) ?? draft.objects;
	const beyond = outside(ctx.db, part, { objects, effects: draft.effects }, now);
	if (beyond) throw new NotAllowed(outsideWords(partName(ctx.db, part), beyond));
	const ofPart = (facts: Fact[]) =>
		facts.map((f): Fact =>
			f.about && !seesRef(ctx.db, part, f.about, now)
				? { words: 'something outside of your part bears on it', ...(f.side ? { side: f.side } : {}) }
				: f
		);
	return {
		...draft,
		warnings: ofPart(draft.warnings),
		blocks: ofPart(draft.blocks),
		reasons: ofPart(draft.reasons)
	};
}

/** Whether it is said to whoever asks, not something that nobody foresaw. */
const isAnswer = (e: unknown): boolean =>
	[InputProblem, NotAllowed, NotFound, PlanRefused].some((kind) => e instanceof kind);

async function compute(ctx: Context, kind: string, input: unknown): Promise<Draft> {
	const draft = await planKindOf(kind)!.draft(ctx, input);
	const busy = workingOn(ctx, draft.objects);
	draft.blocks.push(...busy);
	return draft;
}

/** Jobs that work right now on what a plan would touch, as objects such as `machine/desk-001`: it has to wait for them. */
export function workingOn(ctx: Context, objects: string[]): Fact[] {
	const wanted = new Set(objects);
	const running = all<{ id: number; title: string; touches: string }>(
		ctx.db,
		`SELECT j.id, j.title, p.touches FROM jobs j JOIN plans p ON p.id = j.plan_id WHERE j.state IN ('queued', 'running') AND j.not_before <= ?`,
		[ctx.clock.now()]
	);
	return running.flatMap((j) => {
		const both = fromJson<Touches>('plans.touches', j.touches).objects.find((o) => wanted.has(o));
		return both
			? [
					{
						words: `job ${j.id} is working on ${objectWords(both)}: ${j.title}`,
						side: 'against' as const,
						about: { kind: 'job', id: String(j.id) }
					}
				]
			: [];
	});
}

/** An object of a plan in words: `machine desk-001`. */
const objectWords = (object: string) =>
	object
		.replace(/^fresh\//, 'machine/')
		.replace(/^[^/]+/, (kind) => kind.replaceAll('-', ' '))
		.replace('/', ' ');

interface Touches {
	objects: string[];
	revisions: Record<string, number>;
}

function draftColumns(db: Db, d: Draft): unknown[] {
	const revisions = Object.fromEntries(d.objects.map((o) => [o, revision(db, o)]));
	return [
		d.title,
		JSON.stringify(d.effects),
		JSON.stringify(d.warnings),
		JSON.stringify(d.blocks),
		JSON.stringify(d.reasons),
		JSON.stringify({ objects: d.objects, revisions } satisfies Touches),
		JSON.stringify(d.steps),
		d.undo ? JSON.stringify(d.undo) : null,
		d.undoWords
	];
}

const revision = (db: Db, object: string): number =>
	one<{ number: number }>(db, 'SELECT number FROM revisions WHERE object = ?', [object])?.number ?? 0;

function claim(db: Db, objects: string[], plan: number): void {
	for (const o of objects)
		run(
			db,
			'INSERT INTO revisions(object, number, plan_id) VALUES (?, 1, ?) ON CONFLICT(object) DO UPDATE SET number = number + 1, plan_id = excluded.plan_id',
			[o, plan]
		);
}

/** What other plans have changed, since this one was computed, of what it touches. */
function changedSince(db: Db, id: number): Fact[] {
	const touches = fromJson<Touches>(
		'plans.touches',
		one<{ touches: string }>(db, 'SELECT touches FROM plans WHERE id = ?', [id])!.touches
	);
	return Object.entries(touches.revisions).flatMap(([object, was]) => {
		const now = one<{ number: number; plan_id: number }>(db, 'SELECT * FROM revisions WHERE object = ?', [object]);
		if (!now || now.number === was || now.plan_id === id) return [];
		const other = planById(db, now.plan_id);
		if (!other) return [];
		return [
			{
				words: `${objectWords(object)} has been changed since: ${other.title}, by ${other.by}`,
				side: 'against' as const,
				about: { kind: 'job', id: String(other.jobId) }
			}
		];
	});
}

function refuse(db: Db, id: number, why: Fact[]): never {
	run(db, 'UPDATE plans SET refused = ? WHERE id = ?', [JSON.stringify(why), id]);
	throw new PlanRefused(why);
}

interface RawPlan {
	id: number;
	kind: string;
	input: string;
	title: string;
	effects: string;
	warnings: string;
	blocks: string;
	reasons: string;
	touches: string;
	steps: string;
	undo: string | null;
	undo_words: string;
	state: PlanRow['state'];
	refused: string | null;
	by: string;
	via: string;
	at: number;
	job_id: number | null;
}

const fromRaw = (db: Db, r: RawPlan): PlanRow => ({
	id: r.id,
	kind: r.kind,
	input: hideSecrets(fromJson<unknown>('plans.input', r.input)),
	title: r.title,
	effects: fromJson<Effects>('plans.effects', r.effects),
	warnings: fromJson<Fact[]>('plans.warnings', r.warnings),
	blocks: fromJson<Fact[]>('plans.blocks', r.blocks),
	reasons: fromJson<Fact[]>('plans.reasons', r.reasons),
	objects: fromJson<Touches>('plans.touches', r.touches).objects,
	steps: hideSecrets(fromJson<StepSpec[]>('plans.steps', r.steps)),
	undo: fromJsonOrNull<NonNullable<PlanRow['undo']>>('plans.undo', r.undo),
	undoWords: r.undo_words,
	state: r.state,
	refused: fromJsonOrNull<Fact[]>('plans.refused', r.refused),
	by: r.by,
	via: r.via,
	at: r.at,
	jobId: r.job_id,
	asked: r.state === 'draft' ? askShown(askOf(db, r.id)) : null
});

/** Of who has asked for consent, what anybody may see. */
const askShown = (ask: Ask | null): Asked | null =>
	ask && { id: ask.id, by: ask.by, at: ask.at, notBefore: ask.notBefore, why: ask.why };

/** Asks a job to stop where that is safe. Needs the right to commit plans of its kind. */
export function cancelJob(ctx: Context, caller: Caller, job: number): void {
	const row = one<{ kind: string }>(seenBy(ctx, caller), 'SELECT kind FROM jobs WHERE id = ?', [job]);
	if (!row) throw new NotFound(`job ${job}`);
	allow(caller, planKindOf(row.kind)!.area, 'commit');
	if (!askToCancel(ctx.db, job)) throw new PlanRefused([{ words: `job ${job} has ended already`, side: 'against' }]);
}

/** Drafts the plan that undoes a change. */
export async function draftUndo(ctx: Context, caller: Caller, change: number, via: string): Promise<PlanRow> {
	const row = changeByNumber(seenBy(ctx, caller), change);
	if (!row) throw new NotFound(`change ${change}`);
	if (!row.undo) throw new PlanRefused([{ words: `change ${change} cannot be undone`, side: 'against' }]);
	return draftPlan(ctx, caller, row.undo.kind, row.undo.input, via);
}
