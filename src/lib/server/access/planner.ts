import { isDeepStrictEqual } from 'node:util';
import * as v from 'valibot';
import { compareAccess, type AccessChange } from '$lib/core/access/compare';
import { CHANNELS, conditionsWords, type Conditions, type GrantRule } from '$lib/core/access/decide';
import { isRange } from '$lib/core/network/addresses';
import { noEffects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { one } from '../db';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { grantsAt, publicationsAt, type GrantRow } from '../publishing/queries';
import { asRule, requestsFor } from './circumstances';

const minute = v.pipe(
	v.number('Write a time of day.'),
	v.integer(),
	v.minValue(0),
	v.maxValue(1440, 'A day ends at 24:00.')
);
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
	)
});
const channels = v.optional(v.array(v.picklist(CHANNELS, `Choose among ${CHANNELS.join(', ')}.`)), []);

/** Leaves out what says nothing, so that equal conditions read alike. */
function tidy(c: v.InferOutput<typeof conditions>): Conditions {
	return {
		...(c.hours ? { hours: c.hours } : {}),
		...(c.managedEndpoint ? { managedEndpoint: true } : {}),
		...(c.secondFactor ? { secondFactor: true } : {}),
		...(c.networks?.length ? { networks: c.networks } : {})
	};
}

/** The effect of replacing one grant of a publication by another, or by none. */
function changeOf(ctx: Context, publication: string, id: number | null, replacement: GrantRule | null): AccessChange {
	const now = ctx.clock.now();
	const before = grantsAt(ctx.db, now).filter((g) => g.publication === publication);
	const rest = before.filter((g) => g.id !== id).map(asRule);
	const after = replacement ? [...rest, replacement] : rest;
	return compareAccess(
		requestsFor(ctx.db, publication, now, [...before.map(asRule), ...after]),
		before.map(asRule),
		after
	);
}

function effectsOf(change: AccessChange) {
	return {
		...noEffects(),
		people: [
			...change.loses.map((p) => ({ kind: 'person', id: p.id, name: p.name, how: 'loses access' })),
			...change.partly.map((p) => ({
				kind: 'person',
				id: p.id,
				name: p.name,
				how: `${p.refused} of their last ${p.of} sign-ins would be refused`
			})),
			...change.gains.map((p) => ({ kind: 'person', id: p.id, name: p.name, how: 'gains access' }))
		]
	};
}

function changeFacts(change: AccessChange): { warnings: Fact[]; reasons: Fact[] } {
	return {
		warnings: [
			...(change.loses.length
				? [
						{
							words: `${countWords(change.loses.length, 'person loses access', 'people lose access')}`,
							side: 'against' as const
						}
					]
				: []),
			...(change.partly.length
				? [
						{
							words: `${countWords(change.partly.length, 'person', 'people')} would have been refused at some of their last sign-ins`,
							side: 'against' as const
						}
					]
				: [])
		],
		reasons: [
			{
				words: `${countWords(change.gains.length, 'person gains access', 'people gain access')}`,
				source: 'grants and directory'
			},
			{
				words: 'tried on the sign-ins of the last 14 days, and on one made now by those without any',
				source: 'connections'
			},
			{ words: 'sessions that are open stay open', source: 'broker' }
		]
	};
}

function target(
	ctx: Context,
	team: string | undefined,
	person: string | undefined
): { to: GrantRule['to']; teamId: string | null; personId: number | null } {
	if ((team === undefined) === (person === undefined))
		throw new InputProblem([{ field: 'team', words: 'Choose either a team or a person.' }]);
	if (team !== undefined) {
		const row = one<{ name: string }>(ctx.db, 'SELECT name FROM teams WHERE id = ?', [team]);
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
	schema: v.strictObject({
		id: v.optional(v.number()),
		publication: v.pipe(v.string(), v.nonEmpty('Choose a publication.')),
		team: v.optional(v.string()),
		person: v.optional(v.string()),
		conditions: v.optional(conditions, {}),
		channels
	}),
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
		const change = changeOf(ctx, pub.id, null, {
			id: String(id),
			to,
			conditions: tidy(input.conditions),
			channels: input.channels
		});
		const { warnings, reasons } = changeFacts(change);
		return {
			title: `Grant ${pub.internalName} to ${to.name}`,
			effects: effectsOf(change),
			warnings: [
				...warnings,
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
				: [],
			reasons: [{ words: conditionsWords(tidy(input.conditions)), source: 'grant' }, ...reasons],
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
						conditions: tidy(input.conditions),
						channels: input.channels
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

const changeGrant = planKind({
	kind: 'grant.change',
	words: 'Change the conditions and channels of a grant',
	area: 'access',
	schema: v.strictObject({ grant: v.pipe(v.number(), v.integer()), conditions, channels }),
	async draft(ctx, input): Promise<Draft> {
		const g = grantOrThrow(ctx, input.grant);
		const next = tidy(input.conditions);
		const change = changeOf(ctx, g.publication, g.id, { ...asRule(g), conditions: next, channels: input.channels });
		const { warnings, reasons } = changeFacts(change);
		const same =
			isDeepStrictEqual(g.conditions, next) && isDeepStrictEqual(g.channels.toSorted(), input.channels.toSorted());
		return {
			title: `Change the grant of ${g.publicationName} to ${g.toName}`,
			effects: effectsOf(change),
			warnings,
			blocks: same ? [{ words: 'nothing in it is different', side: 'against' }] : [],
			reasons: [
				{ words: `conditions before: ${conditionsWords(g.conditions)}`, source: 'grant' },
				{ words: `conditions after: ${conditionsWords(next)}`, source: 'grant' },
				{
					words: `channels: ${g.channels.join(', ') || 'none'} → ${input.channels.join(', ') || 'none'}`,
					source: 'grant'
				},
				...reasons
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
						channels: input.channels
					},
					expected: 200
				},
				{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 }
			],
			undo: { kind: 'grant.change', input: { grant: g.id, conditions: g.conditions, channels: g.channels } },
			undoWords: 'Yes: its conditions and channels are put back.'
		};
	}
});

const removeGrant = planKind({
	kind: 'grant.remove',
	words: 'Take a grant back',
	area: 'access',
	schema: v.strictObject({ grant: v.pipe(v.number(), v.integer()) }),
	async draft(ctx, input): Promise<Draft> {
		const g = grantOrThrow(ctx, input.grant);
		const change = changeOf(ctx, g.publication, g.id, null);
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
					...(g.toKind === 'team' ? { team: g.toId } : { person: g.toLogin }),
					conditions: g.conditions,
					channels: g.channels
				}
			},
			undoWords: 'Yes: it is granted again as it was.'
		};
	}
});

export const accessPlans = [addGrant, changeGrant, removeGrant];
