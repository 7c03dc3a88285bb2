import * as v from 'valibot';
import { servingPools } from '$lib/core/access/broker';
import { ON_A_WIRE } from '$lib/core/endpoints/kinds';
import type { GivenMove, GivenPerson } from '$lib/core/people/given';
import { readWhen } from '$lib/core/people/given';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, durationWords, FOREVER, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { type KnownPerson, recordOf, saidBy, teamsAbove } from '../directory';
import { devicesLeftBy, withoutDevice } from '../endpoints';
import { waysOf } from '../estate';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { poolsAt } from '../pools';
import { publicationsAt } from '../publications';
import { shelfOf, type ShelfItem } from '../shelf';
import { desksFor } from './desks';
import { freeDevices, keepSteps } from './devices';
import { knownHere } from './files';
import { linkTime } from './mornings';
import { putNow } from './put';
import { justBefore } from './planner';

const text = (words: string) =>
	v.pipe(v.string(words), v.trim(), v.nonEmpty(words), v.maxLength(200, 'At most 200 characters.'));
const against = (words: string, source: string): Fact => ({ words, side: 'against', source });

const schema = v.strictObject({
	person: text('Say who moves.'),
	/** The first day of it, a moment, or now. */
	on: v.optional(text('Say from when.'), 'now'),
	/** A site by its id or name; the one that they are at where nothing is said. */
	site: v.optional(text('Choose a site.')),
	/** The home team, and the others; as they are where nothing is said. */
	team: v.optional(text('Choose a team.')),
	teams: v.optional(v.pipe(v.array(text('Choose a team.')), v.maxLength(50, 'At most 50 teams.'))),
	/** A personal pool of which they get a machine, ready ahead of that day. */
	pool: v.optional(v.nullable(v.pipe(v.string(), v.trim())), null),
	/** Whether an endpoint is kept for them where they go, if they would find none. */
	device: v.optional(v.boolean(), false)
});

/** Moves somebody: what they gain and lose by it, what lies far from where they go, and what they keep there. */
export const movePlan = planKind({
	kind: 'people.move',
	words: 'Move somebody of Sextant’s own list to another team, another site, or both, from a day on',
	area: 'access',
	undo: 'back',
	schema,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const p = recordOf(db, input.person, now);
		if (!p) throw new InputProblem([{ field: 'person', words: `Nobody has the login ${input.person.slice(0, 60)}.` }]);
		const at = whenOf(db, p, input, now);
		if (at === null) throw new InputProblem([{ field: 'on', words: 'Write a day such as 2026-11-30, or now.' }]);
		if (input.on !== 'now' && at <= now)
			throw new InputProblem([{ field: 'on', words: 'This day has begun already: let it be from now on.' }]);
		if (at >= p.ends) throw new InputProblem([{ field: 'on', words: 'They have ended by then.' }]);
		const given = asGiven(p, input, at > now ? at : null);
		const { changes, problems, blocks } = putNow(db, [given], now);
		const pool = input.pool ? poolsAt(db, now).find((x) => x.id === input.pool) : null;
		if (problems.length || pool === undefined || pool?.assignment === 'shared')
			throw new InputProblem([
				...(pool === undefined ? [{ field: 'pool', words: `There is no pool ${input.pool!.slice(0, 60)}.` }] : []),
				...(pool?.assignment === 'shared'
					? [{ field: 'pool', words: `${pool.name} is shared: nobody keeps a machine of it.` }]
					: []),
				...problems.map((x) => ({
					field: x.field.replace(/^people\.0\.(moves\.\d+\.)?/, '').replace(/^teams\.\d+$/, 'teams'),
					words: x.words
				}))
			]);
		const after = changes[0]!.is;
		const then =
			at > now ? after.moves.find((m) => m.at === at) : { at: now, site: after.site, memberOf: after.memberOf };
		const to = { site: then?.site ?? p.site, memberOf: then?.memberOf ?? p.memberOf };
		const same = to.site === p.site && [...to.memberOf].join() === [...p.memberOf].join();
		const say = saidBy(db);
		const what = consequences(ctx, p, to, Math.max(at, now));
		const desks = pool ? await desksFor(ctx, pool, [{ login: p.now, name: p.name }]) : null;
		const wants = input.device && withoutDevice(db, [p.now], to.site, now).length > 0;
		const devices = wants ? freeDevices(db, now).promise(to.site, to.memberOf[0] ?? '', [p.now]) : [];
		const ready = [...(desks?.steps ?? []), ...keepSteps(devices)];
		const undo = { then: justBefore(now), logins: [p.now] };
		const where = [
			...(to.memberOf[0] !== p.memberOf[0] && to.memberOf[0] ? [say.team(to.memberOf[0])] : []),
			...(to.site === p.site ? [] : [say.site(to.site)])
		];
		return {
			title: `Move ${p.name}${where.length ? ` to ${where.join(' in ')}` : ''}${at > now ? ` on ${say.day(at, to.site)}` : ''}`,
			effects: {
				...noEffects(),
				people: [
					{
						kind: 'person',
						id: p.now,
						name: p.name,
						how: [
							what.words,
							...(desks?.give.map((g) => `keeps ${g.machine}`) ?? []),
							...devices.map((d) => `sits at ${d.name}`)
						].join('; ')
					}
				],
				machines: desks?.machines ?? [],
				endpoints: devices.map((d) => ({
					kind: 'endpoint',
					id: String(d.endpoint),
					name: d.name,
					how: `kept for ${p.name}`
				})),
				...(desks?.cost ? { cost: desks.cost } : {}),
				bytes: what.bytes + (desks?.bytes ?? 0),
				duration: {
					middle: SECOND + (desks?.duration.middle ?? 0),
					ninety: 2 * SECOND + (desks?.duration.ninety ?? 0)
				}
			},
			warnings: [
				...what.warnings,
				...(wants && devices.length === 0 ? [against(`no endpoint is free at ${say.site(to.site)}`, 'endpoints')] : [])
			],
			blocks: [...blocks, ...(same ? [against('they are there already', 'directory')] : []), ...(desks?.blocks ?? [])],
			reasons: [...what.reasons, ...(desks?.reasons ?? [])],
			objects: [
				`person/${p.now}`,
				...(pool ? [`pool/${pool.id}`] : []),
				...devices.map((d) => `endpoint/${d.endpoint}`)
			],
			steps: [stepOf('people.put', 'Write it down', { people: [given] }, 100), ...ready],
			undo: ready.length
				? {
						kind: 'people.unwelcome',
						input: {
							people: undo.logins,
							then: undo.then,
							joined: undo.logins,
							machines: desks?.give.map((g) => g.machine).filter((m) => !desks.made.includes(m)) ?? [],
							made: desks?.made ?? [],
							devices: devices.map((d) => d.endpoint)
						}
					}
				: { kind: 'people.as-then', input: undo },
			undoWords: 'They are again where they were; what they opened meanwhile stays open.'
		};
	}
});

/** The moment of a move: a day is one of the site that they go to, as everywhere where a move is read. */
function whenOf(db: Db, p: KnownPerson, { on, site }: v.InferOutput<typeof schema>, now: number): number | null {
	if (on === 'now') return now;
	const to = one<{ zone: string }>(
		db,
		'SELECT time_zone AS zone FROM sites WHERE id = @site OR name = @site COLLATE NOCASE OR id = @here ORDER BY id = @here LIMIT 1',
		{ site: site ?? p.site, here: p.site }
	);
	return readWhen(on, to?.zone ?? 'Etc/UTC', false);
}

/** Somebody as they are given with one more move, or moved at once. Moves that were known for a later day stay. */
function asGiven(p: KnownPerson, input: v.InferOutput<typeof schema>, at: number | null): GivenPerson {
	const to = {
		...(input.site === undefined ? {} : { site: input.site }),
		...(input.team === undefined ? {} : { team: input.team }),
		...(input.teams === undefined ? {} : { teams: input.teams })
	};
	if (at === null) return { login: p.now, ...to };
	const asKnown = (m: KnownPerson['moves'][number]): GivenMove => ({
		on: new Date(m.at).toISOString(),
		site: m.site,
		...(m.memberOf[0] === undefined ? {} : { team: m.memberOf[0] }),
		teams: m.memberOf.slice(1)
	});
	// One on the same day stands in the place of the one that was known.
	return {
		login: p.now,
		moves: [
			...p.moves.filter((m) => m.at < at).map(asKnown),
			{ on: new Date(at).toISOString(), ...to },
			...p.moves.filter((m) => m.at > at).map(asKnown)
		]
	};
}

/** What a move comes to: grants follow the teams, files lie where they were, and machines that are kept stay where they stand. */
function consequences(
	{ db, clock }: Context,
	p: KnownPerson,
	to: { site: string; memberOf: readonly string[] },
	at: number
): { words: string; bytes: number; warnings: Fact[]; reasons: Fact[] } {
	const now = clock.now();
	const say = saidBy(db);
	const above = teamsAbove(db, at);
	const zone =
		one<{ zone: string }>(db, 'SELECT time_zone AS zone FROM sites WHERE id = ?', [to.site])?.zone ?? 'Etc/UTC';
	const teams = [...new Set(to.memberOf.flatMap((t) => above.get(t) ?? [t]))];
	const held = (items: readonly ShelfItem[] | null) => (items ?? []).filter((s) => s.standing !== 'can ask');
	const before = held(shelfOf(db, p.now, at, true));
	const after = held(shelfOf(db, p.now, at, true, { teams, zone }));
	const without = (some: readonly ShelfItem[], others: readonly ShelfItem[]) =>
		some.filter((s) => !others.some((o) => o.id === s.id));
	const [gains, loses] = [without(after, before), without(before, after)];
	const open = all<{ publication: string; machine: string }>(
		db,
		`SELECT s.publication_id AS publication, m.name AS machine FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.person_id = ? AND s.until = ${FOREVER}`,
		[p.id]
	);
	const kept = all<{ machine: string; pool: string; site: string }>(
		db,
		`SELECT m.name AS machine, m.pool_id AS pool, m.site_id AS site FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id AND m.until = ${FOREVER}
		 WHERE pl.owner_id = ? AND pl.until = ${FOREVER} ORDER BY m.name`,
		[p.id]
	);
	const far = to.site !== p.site;
	const profile = one<{ profile: number }>(db, 'SELECT profile FROM people WHERE id = ?', [p.id])!.profile;
	const ms = far ? linkTime(db, p.site, to.site, profile) : null;
	const pools = poolsAt(db, at);
	const way = waysOf(db);
	const publications = new Map(publicationsAt(db, at).map((x) => [x.id, x]));
	/** Where a desktop comes from at the new site, in the order in which pools are tried there. */
	const first = (s: ShelfItem) =>
		servingPools(
			to.site,
			pools.filter((x) => publications.get(s.id)?.pools.includes(x.id)),
			(other) => way(to.site, other)
		).value[0];
	const desks = after.filter(
		(s) => s.app === null && s.reaches === null && (s.standing === 'required' || s.standing === 'fetched')
	);
	const names = (items: readonly ShelfItem[]) => items.map((s) => s.name).join(', ');
	return {
		words:
			[...(gains.length ? [`gains ${names(gains)}`] : []), ...(loses.length ? [`loses ${names(loses)}`] : [])].join(
				', '
			) || 'keeps what they have',
		bytes: far ? profile : 0,
		warnings: [
			...loses
				.filter((s) => open.some((o) => o.publication === s.id))
				.map((s) =>
					against(`${s.name} is open for them: it stays open until they sign out, and is not opened again`, 'broker')
				),
			...(far && profile > 0
				? [
						against(
							`${sizeWords(profile)} of files lie at ${say.site(p.site)}${ms === null ? ', and no link is known' : `: about ${durationWords(ms)} over the link`}`,
							'profiles'
						)
					]
				: []),
			...(far
				? devicesLeftBy(db, p.id, now)
						.filter((d) => ON_A_WIRE.has(d.device))
						.map((d) => against(`${d.name}, which they sit at, stays at ${say.site(p.site)}`, 'endpoints'))
				: []),
			...(far
				? kept
						.filter((k) => k.site !== to.site)
						.map((k) => {
							const there = pools.find((x) => x.assignment === 'personal' && x.site === to.site);
							return against(
								`${k.machine}, which they keep, stands at ${say.site(k.site)}${there ? `: make them one of ${there.name}` : `, and no personal pool is at ${say.site(to.site)}`}`,
								'machines'
							);
						})
				: [])
		],
		reasons: [
			...gains.map((s): Fact => ({
				words: `${s.name}${s.by ? ` by the grant to ${s.by}` : ''}`,
				side: 'for',
				source: 'grants',
				about: { kind: 'publication', id: s.id, name: s.name }
			})),
			...loses.map((s): Fact => ({
				words: `${s.name} reaches them no longer${s.by ? `: it came by the grant to ${s.by}` : ''}`,
				side: 'against',
				source: 'grants',
				about: { kind: 'publication', id: s.id, name: s.name }
			})),
			...(far
				? desks.flatMap((s): Fact[] => {
						const pool = first(s);
						return [
							pool
								? {
										words: `${s.name} opens from ${pool.name} there`,
										source: 'broker',
										about: { kind: 'pool', id: pool.id, name: pool.name }
									}
								: against(`no pool serves ${s.name} there`, 'broker')
						];
					})
				: []),
			{
				words: `of ${countWords(p.memberOf.length, 'team')} now: ${p.memberOf.map((t) => say.team(t)).join(', ') || 'none'}`,
				source: 'directory'
			}
		]
	};
}

/** Somebody who can be moved here, for a form; null where nobody is called so. `told`: who tells of them, where we do not. */
export function moverNow(db: Db, login: string | null, at: number) {
	const p = login === null ? null : recordOf(db, login, at);
	if (!p) return null;
	return {
		login: p.now,
		name: p.name,
		site: p.site,
		team: p.memberOf[0] ?? '',
		teams: p.memberOf.slice(1),
		told: knownHere(db, at, new Map([[p.now, p]])).shut('person', p.now)
	};
}
