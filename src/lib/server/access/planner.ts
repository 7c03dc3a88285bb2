import { isDeepStrictEqual } from 'node:util';
import * as v from 'valibot';
import { hadBefore, type AccessChange } from '$lib/core/access/compare';
import {
	CHANNELS,
	conditionsWords,
	mayStart,
	namesOf,
	sees,
	type Conditions,
	type Door,
	type GrantRule
} from '$lib/core/access/decide';
import { isRange } from '$lib/core/network/addresses';
import type { Touched } from '$lib/core/plans/effects';
import { countWords, HOUR } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { one, type Db } from '../db';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { isoDate, isoWords } from '$lib/core/time/zone';
import { whole } from '../plans/fields';
import { type GrantRow, grantsAt, type PublicationRow, publicationsAt } from '../publications';
import { changeFacts, doorsAt, effectsOf, landingFacts, licenceFacts, reachedBy } from '../publishing';
import { asRule, requestsFor, type OnDay } from './circumstances';
import { changeOfWay } from './circumstances';

const minute = v.pipe(
	v.number('Write a time of day.'),
	v.integer(),
	v.minValue(0),
	v.maxValue(1440, 'A day ends at 24:00.')
);
const day = v.pipe(v.string(), v.isoDate('Write a day such as 2026-12-01.'));
const conditions = v.strictObject({
	hours: v.optional(
		v.strictObject({
			days: v.pipe(
				v.array(v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(7))),
				v.minLength(1, 'Choose at least one day.')
			),
			from: minute,
			until: minute
		})
	),
	managedEndpoint: v.optional(v.boolean()),
	secondFactor: v.optional(v.boolean()),
	networks: v.optional(
		v.array(v.pipe(v.string(), v.trim(), v.check(isRange, 'Write an address range such as 10.21.0.0/22.')))
	),
	from: v.optional(day),
	to: v.optional(day)
});
const kind = v.optional(v.picklist(['required', 'optional'], 'Choose required or optional.'), 'required');
const machines = v.optional(whole(1, 20, 'the machines'), 1);
const channels = v.optional(v.array(v.picklist(CHANNELS, `Choose among ${CHANNELS.join(', ')}.`)), []);

/** Leaves out what says nothing, so that equal conditions read alike. */
function tidy(c: v.InferOutput<typeof conditions>): Conditions {
	return {
		...(c.hours ? { hours: c.hours } : {}),
		...(c.managedEndpoint ? { managedEndpoint: true } : {}),
		...(c.secondFactor ? { secondFactor: true } : {}),
		...(c.networks?.length ? { networks: c.networks } : {}),
		...(c.from ? { from: c.from } : {}),
		...(c.to ? { to: c.to } : {})
	};
}

/** Throws where the dates of a grant leave no day, or lie behind. */
function checkDates(c: Conditions, now: number): void {
	if (c.from && c.to && c.from > c.to)
		throw new InputProblem([{ field: 'conditions.to', words: 'It would end before it begins.' }]);
	if (c.to && c.to < isoDate('UTC', now))
		throw new InputProblem([{ field: 'conditions.to', words: 'That day has passed.' }]);
}

/** The effect of replacing one grant of a publication by another, or by none, on the day of a moment. */
function changeOf(
	ctx: Context,
	pub: PublicationRow,
	id: number | null,
	replacement: GrantRule | null,
	on: OnDay = ctx.clock.now()
): AccessChange {
	const now = ctx.clock.now();
	const before = grantsAt(ctx.db, now).filter((g) => g.publication === pub.id);
	const rest = before.filter((g) => g.id !== id).map(asRule);
	const door = doorBehind(ctx.db, pub, now);
	return changeOfWay(
		ctx.db,
		pub.id,
		now,
		{ door, grants: before.map(asRule) },
		{ door, grants: replacement ? [...rest, replacement] : rest },
		on
	);
}

/** The day on which a grant begins, at each person's site by its own clock; now where it has begun everywhere. */
const beginOf = (c: Conditions, now: number): OnDay =>
	c.from === undefined || c.from < isoDate(LAST_ZONE, now) ? now : c.from;
/** A moment at which a day has begun in every zone: whoever will hold a licence does then. */
const begunEverywhere = (on: OnDay): number => (typeof on === 'number' ? on : Date.parse(`${on}T12:00:00Z`) + 6 * HOUR);
/** Where a day begins last. */
const LAST_ZONE = 'Etc/GMT+12';
/** What is to be known of a grant that does not count yet. */
const beginFacts = (c: Conditions, now: number, words: string): Fact[] =>
	c.from !== undefined && c.from > isoDate(LAST_ZONE, now)
		? [{ words: `it begins on ${isoWords(c.from!)}: ${words}`, source: 'grant' }]
		: [];

/** A publication's door as it is once it is on: what a grant gives does not depend on when it is switched off. */
const doorBehind = (db: Db, pub: PublicationRow, at: number): Door => doorsAt(db, at)({ ...pub, off: false });

/** What of a publication's door stands before whomever a grant reaches. */
function doorFacts(ctx: Context, pub: PublicationRow, grant: GrantRule): Fact[] {
	const now = ctx.clock.now();
	const door = doorBehind(ctx.db, pub, now);
	const reached = requestsFor(ctx.db, pub.id, now, [grant]).map((p) => p.requests[0]!.teams);
	const blind = reached.filter((teams) => !sees(door, teams)).length;
	const shut = reached.filter((teams) => sees(door, teams) && !mayStart(door, teams)).length;
	const about = { kind: 'publication', id: pub.id, name: pub.internalName };
	return [
		...(pub.off
			? [{ words: 'it is switched off: nobody can open it until it is on again', side: 'against' as const, about }]
			: []),
		...(blind
			? [
					{
						words: `${countWords(blind, 'person does', 'people do')} not see it: it is shown to ${namesOf(door.visible!)} alone`,
						side: 'against' as const,
						about
					}
				]
			: []),
		...(shut
			? [
					{
						words: `${countWords(shut, 'person', 'people')} may not start it: its package is for ${namesOf(door.starters!)} alone`,
						side: 'against' as const,
						about
					}
				]
			: [])
	];
}

/** Whom a grant reaches who had the publication before, in words, by what. */
function hadFacts(ctx: Context, pub: PublicationRow, id: number | null, grant: GrantRule): Fact[] {
	const now = ctx.clock.now();
	const before = {
		door: doorBehind(ctx.db, pub, now),
		grants: grantsAt(ctx.db, now)
			.filter((g) => g.publication === pub.id && g.id !== id)
			.map(asRule)
	};
	const had = hadBefore(requestsFor(ctx.db, pub.id, now, [grant], beginOf(grant.conditions, now)), before, grant);
	const by = new Map<string, number>();
	for (const p of had) by.set(p.by, (by.get(p.by) ?? 0) + 1);
	return [...by].map(([name, n]) => ({
		words: `${countWords(n, 'person', 'people')} had it already, by the grant to ${name}`,
		source: 'grants'
	}));
}

/** For whom a publication comes to the shelf by itself now, and who has to fetch it from now on. */
function kindEffects(db: Db, pub: PublicationRow, at: number, after: GrantRow[]): Touched[] {
	const before = reachedBy(db, pub, at);
	return [...reachedBy(db, pub, at, after).values()].flatMap(({ person, having }): Touched[] => {
		const had = before.get(person.login)?.having;
		const say = (how: string, helped: boolean) => [
			{ kind: 'person', id: person.login, name: person.name, how, helped }
		];
		if (had === 'can fetch' && having === 'required') return say('finds it on their shelf', true);
		return had === 'required' && having === 'can fetch' ? say('has to fetch it from the shelf', false) : [];
	});
}

function target(
	ctx: Context,
	team: string | undefined,
	person: string | undefined
): { to: GrantRule['to']; teamId: string | null; personId: number | null } {
	if ((team === undefined) === (person === undefined))
		throw new InputProblem([{ field: 'team', words: 'Choose either a team or a person.' }]);
	if (team !== undefined) {
		const row = one<{ name: string }>(ctx.db, 'SELECT name FROM teams WHERE id = ? AND gone = 0', [team]);
		if (!row) throw new InputProblem([{ field: 'team', words: `The directory has no team ${team}.` }]);
		return { to: { kind: 'team', id: team, name: row.name }, teamId: team, personId: null };
	}
	const row = one<{ id: number; name: string }>(ctx.db, 'SELECT id, name FROM people WHERE login = ?', [person]);
	if (!row) throw new InputProblem([{ field: 'person', words: `The directory knows nobody called ${person}.` }]);
	return { to: { kind: 'person', id: person!, name: row.name }, teamId: null, personId: row.id };
}

const addGrant = planKind({
	kind: 'grant.add',
	words: 'Grant a publication to a team or a person',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		id: v.optional(v.number()),
		publication: v.pipe(v.string(), v.nonEmpty('Choose a publication.')),
		team: v.optional(v.string()),
		person: v.optional(v.string()),
		conditions: v.optional(conditions, {}),
		channels,
		/** Placed on shelves by itself, or fetched from them. */
		kind,
		/** Personal machines that each person may have by it. */
		machines
	}),
	decides: (_ctx, input) => [input.team === undefined ? `person/${input.person ?? ''}` : `team/${input.team}`],
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const pub = publicationsAt(ctx.db, now).find((p) => p.id === input.publication);
		if (!pub)
			throw new InputProblem([{ field: 'publication', words: `There is no publication called ${input.publication}.` }]);
		const { to, teamId, personId } = target(ctx, input.team, input.person);
		const twin = grantsAt(ctx.db, now).find(
			(g) => g.publication === pub.id && g.toKind === to.kind && g.toName === to.name
		);
		const id = input.id ?? one<{ n: number }>(ctx.db, 'SELECT coalesce(max(id), 0) + 1 AS n FROM grants')!.n;
		const next = tidy(input.conditions);
		checkDates(next, now);
		const rule: GrantRule = { id: String(id), to, conditions: next, channels: input.channels };
		const begins = beginOf(next, now);
		const change = changeOf(ctx, pub, null, rule, begins);
		const { warnings, reasons } = changeFacts(change);
		const landing = landingFacts(ctx.db, pub, change.gains, now);
		const licences = licenceFacts(ctx.db, pub, begunEverywhere(begins), [
			...grantsAt(ctx.db, now).filter((g) => g.publication === pub.id),
			{
				id,
				publication: pub.id,
				publicationName: pub.name,
				toKind: to.kind,
				toId: teamId ?? String(personId),
				toLogin: to.kind === 'person' ? to.id : null,
				toName: to.name,
				conditions: next,
				channels: input.channels,
				kind: input.kind,
				machines: input.machines,
				since: now
			}
		]);
		return {
			title: `Grant ${pub.internalName} to ${to.name}`,
			effects: effectsOf(change),
			warnings: [
				...warnings,
				...licences.warnings,
				...landing.warnings,
				...doorFacts(ctx, pub, rule),
				...(change.gains.length === 0
					? [{ words: 'everybody it reaches has the publication already', side: 'against' as const }]
					: [])
			],
			blocks: twin
				? [
						{
							words: `it is granted to ${to.name} already: change that grant`,
							side: 'against',
							about: { kind: 'grant', id: String(twin.id) }
						}
					]
				: licences.blocks,
			reasons: [
				{
					words:
						input.kind === 'required'
							? 'it is required: it stands on their shelves by itself'
							: 'it is optional: they fetch it from their shelves',
					source: 'grant'
				},
				{ words: conditionsWords(next), source: 'grant' },
				...beginFacts(next, now, 'this is what it does from then on'),
				...hadFacts(ctx, pub, null, rule),
				...licences.reasons,
				...reasons,
				...landing.reasons
			],
			objects: [`grant/${id}`, `publication/${pub.id}`],
			steps: [
				{
					kind: 'grant.write',
					words: 'Write the grant',
					input: {
						id,
						publication: pub.id,
						teamId,
						personId,
						conditions: next,
						channels: input.channels,
						kind: input.kind,
						machines: input.machines
					},
					expected: 200
				},
				{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
			],
			undo: { kind: 'grant.remove', input: { grant: id } },
			undoWords: 'Yes: the grant is taken back.'
		};
	}
});

function grantOrThrow(ctx: Context, id: number): GrantRow {
	const grant = grantsAt(ctx.db, ctx.clock.now()).find((g) => g.id === id);
	if (!grant) throw new InputProblem([{ field: 'grant', words: `There is no grant ${id}.` }]);
	return grant;
}

/** Whom a grant is to, as an object: it concerns them, whatever pools serve it. */
function toWhom(ctx: Context, id: number): string[] {
	const g = grantsAt(ctx.db, ctx.clock.now()).find((x) => x.id === id);
	return g ? [g.toKind === 'team' ? `team/${g.toId}` : `person/${g.toLogin}`] : [];
}

const changeGrant = planKind({
	kind: 'grant.change',
	words: 'Change the conditions, channels and kind of a grant',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		grant: v.pipe(v.number(), v.integer()),
		/** What is not said stays as it is. */
		conditions: v.optional(conditions),
		channels: v.optional(v.array(v.picklist(CHANNELS, `Choose among ${CHANNELS.join(', ')}.`))),
		kind: v.optional(v.picklist(['required', 'optional'], 'Choose required or optional.')),
		machines: v.optional(whole(1, 20, 'the machines'))
	}),
	decides: (ctx, input) => toWhom(ctx, input.grant),
	async draft(ctx, input): Promise<Draft> {
		const g = grantOrThrow(ctx, input.grant);
		const now = ctx.clock.now();
		const next = input.conditions ? tidy(input.conditions) : g.conditions;
		const channels = input.channels ?? g.channels;
		const kind = input.kind ?? g.kind;
		const machines = input.machines ?? g.machines;
		if (input.conditions) checkDates(next, now);
		const pub = publicationsAt(ctx.db, now).find((p) => p.id === g.publication)!;
		const after = [
			...grantsAt(ctx.db, now).filter((x) => x.publication === g.publication && x.id !== g.id),
			{ ...g, conditions: next, kind }
		];
		const licences = licenceFacts(ctx.db, pub, begunEverywhere(beginOf(next, now)), after);
		const rule = { ...asRule(g), conditions: next, channels };
		const change = changeOf(ctx, pub, g.id, rule);
		const { warnings, reasons } = changeFacts(change);
		const landing = landingFacts(ctx.db, pub, change.gains, now);
		const effects = effectsOf(change);
		const told = new Set(effects.people.map((p) => p.id));
		const shelves = kindEffects(ctx.db, pub, now, after).filter((p) => !told.has(p.id));
		const same =
			isDeepStrictEqual(g.conditions, next) &&
			isDeepStrictEqual(g.channels.toSorted(), channels.toSorted()) &&
			kind === g.kind &&
			machines === g.machines;
		return {
			title: `Change the grant of ${g.publicationName} to ${g.toName}`,
			effects: { ...effects, people: [...effects.people, ...shelves] },
			warnings: [...warnings, ...licences.warnings, ...landing.warnings, ...doorFacts(ctx, pub, rule)],
			blocks: same ? [{ words: 'nothing in it is different', side: 'against' }] : licences.blocks,
			reasons: [
				{ words: `conditions before: ${conditionsWords(g.conditions)}`, source: 'grant' },
				{ words: `conditions after: ${conditionsWords(next)}`, source: 'grant' },
				...beginFacts(next, now, 'until then it counts for nobody'),
				{
					words: `channels: ${g.channels.join(', ') || 'none'} → ${channels.join(', ') || 'none'}`,
					source: 'grant'
				},
				...(kind === g.kind ? [] : [{ words: `it was ${g.kind}, and is ${kind}`, source: 'grant' }]),
				...licences.reasons,
				...reasons,
				...landing.reasons
			],
			objects: [`grant/${g.id}`, `publication/${g.publication}`],
			steps: [
				{
					kind: 'grant.write',
					words: 'Write the grant',
					input: {
						id: g.id,
						publication: g.publication,
						teamId: g.toKind === 'team' ? g.toId : null,
						personId: g.toKind === 'person' ? Number(g.toId) : null,
						conditions: next,
						channels,
						kind,
						machines
					},
					expected: 200
				},
				{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
			],
			undo: {
				kind: 'grant.change',
				input: { grant: g.id, conditions: g.conditions, channels: g.channels, kind: g.kind, machines: g.machines }
			},
			undoWords: 'Yes: its conditions and channels are put back.'
		};
	}
});

const removeGrant = planKind({
	kind: 'grant.remove',
	words: 'Take a grant back',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({ grant: v.pipe(v.number(), v.integer()) }),
	decides: (ctx, input) => toWhom(ctx, input.grant),
	async draft(ctx, input): Promise<Draft> {
		const g = grantOrThrow(ctx, input.grant);
		const pub = publicationsAt(ctx.db, ctx.clock.now()).find((p) => p.id === g.publication)!;
		const change = changeOf(ctx, pub, g.id, null, beginOf(g.conditions, ctx.clock.now()));
		const { warnings, reasons } = changeFacts(change);
		return {
			title: `Take back the grant of ${g.publicationName} to ${g.toName}`,
			effects: effectsOf(change),
			warnings,
			blocks: [],
			reasons,
			objects: [`grant/${g.id}`, `publication/${g.publication}`],
			steps: [
				{ kind: 'grant.close', words: 'Take the grant back', input: { id: g.id }, expected: 200 },
				{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
			],
			undo: {
				kind: 'grant.add',
				input: {
					id: g.id,
					publication: g.publication,
					...(g.toKind === 'team' ? { team: g.toId } : { person: g.toLogin! }),
					conditions: g.conditions,
					channels: g.channels,
					kind: g.kind,
					machines: g.machines
				}
			},
			undoWords: 'Yes: it is granted again as it was.'
		};
	}
});

export const accessPlans = [addGrant, changeGrant, removeGrant];
