import * as v from 'valibot';
import { recordThen } from '$lib/core/people/record';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, DAY, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { one, setting, type Db } from '../db';
import { recordsOf, saidBy, SOURCE_WORDS, teamsByName, type KnownPerson } from '../directory';
import { addressOfPortal, PORTAL_ADDRESS, SERVED_AT } from '../identity/portal';
import { keptOf, withoutDevice } from '../endpoints';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { poolsAt } from '../pools';
import { grantsAt, publicationsAt } from '../publications';
import { licencesAt } from '../publishing';
import { desksFor } from './desks';
import { freeDevices, keepSteps } from './devices';

/** The most people who are welcomed at once. */
const MANY = 100;
/** An invitation counts so long where nothing is said, days: from when it is sent, or from their first day, whichever is later. */
const USUAL_DAYS = 7;

const text = v.pipe(v.string(), v.trim(), v.nonEmpty('Choose one.'), v.maxLength(200, 'At most 200 characters.'));
const several = (most: number, words: string) => v.optional(v.pipe(v.array(text), v.maxLength(most, words)), []);

const schema = v.strictObject({
	/** Logins. */
	people: v.pipe(v.array(text), v.minLength(1, 'Say who.'), v.maxLength(MANY, `At most ${MANY} people at once.`)),
	/** Other teams that they are to be of: of people of our own list. */
	teams: several(20, 'At most 20 teams.'),
	/** Publications that each of them is granted, as required. */
	publications: several(20, 'At most 20 publications.'),
	/** A personal pool of which each of them gets a machine, ready ahead of the first day. */
	pool: v.optional(v.nullable(v.pipe(v.string(), v.trim())), null),
	/** Whether an endpoint is kept for each who has none. */
	device: v.optional(v.boolean(), false),
	/** Whether they are sent a link by which they come in for the first time. */
	invite: v.optional(v.boolean(), true),
	/** So long the link counts, days. */
	days: v.optional(
		v.pipe(
			v.number('Write the days.'),
			v.integer('Write whole days.'),
			v.minValue(1, 'At least one.'),
			v.maxValue(60, 'At most 60.')
		),
		USUAL_DAYS
	)
});

const against = (words: string, source = 'people'): Fact => ({ words, side: 'against', source });
const listed = (people: readonly { name: string }[]): string =>
	people.length > 3 ? `${people[0]!.name} and ${people.length - 1} more` : people.map((p) => p.name).join(', ');

/** Where somebody sits on their first day, or now. */
const siteOf = (p: KnownPerson, now: number): string => recordThen(p, Math.max(now, p.begins)).site;

/** The people of a plan as they are known, each once; throws, beside the field, for whom nobody knows. */
function peopleOr(db: Db, logins: readonly string[], at: number): KnownPerson[] {
	const known = recordsOf(db, logins, at);
	const wrong = logins.flatMap((login, i) =>
		known.has(login) ? [] : [{ field: `people.${i}`, words: `Nobody has the login ${login.slice(0, 60)}.` }]
	);
	if (wrong.length) throw new InputProblem(wrong);
	return [...new Set(logins)].map((login) => known.get(login)!);
}

const welcome = planKind({
	kind: 'people.welcome',
	words:
		'Make ready for people who begin: other teams, publications, a machine of their own ahead of the first day, an invitation to the portal',
	area: 'access',
	undo: 'back',
	schema,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const say = saidBy(db);
		const people = peopleOr(db, input.people, now);
		const problems: { field: string; words: string }[] = [];
		const teams = new Map(teamsByName(db).map((t) => [t.id, t.name]));
		input.teams.forEach((t, i) => {
			if (!teams.has(t)) problems.push({ field: `teams.${i}`, words: `There is no team ${t.slice(0, 60)}.` });
		});
		const publications = publicationsAt(db, now);
		const given = input.publications.map((id, i) => {
			const p = publications.find((x) => x.id === id);
			if (!p) problems.push({ field: `publications.${i}`, words: `There is no publication ${id.slice(0, 60)}.` });
			return p!;
		});
		const pool = input.pool ? poolsAt(db, now).find((p) => p.id === input.pool) : null;
		if (pool === undefined) problems.push({ field: 'pool', words: `There is no pool ${input.pool!.slice(0, 60)}.` });
		if (pool?.assignment === 'shared')
			problems.push({ field: 'pool', words: `${pool.name} is shared: nobody keeps a machine of it.` });
		const portal = addressOfPortal(db);
		if (problems.length) throw new InputProblem(problems);

		const joins = people.filter((p) => input.teams.some((t) => !p.memberOf.includes(t)));
		const told = joins.filter((p) => p.source !== 'here');
		const granted = new Set(grantsAt(db, now).map((g) => `${g.publication} ${g.toLogin ?? ''}`));
		let id = one<{ n: number }>(db, 'SELECT coalesce(max(id), 0) AS n FROM grants')!.n;
		const grants = given.flatMap((p) =>
			people.filter((x) => !granted.has(`${p.id} ${x.now}`)).map((x) => ({ id: ++id, publication: p, person: x }))
		);
		const desks = pool
			? await desksFor(
					ctx,
					pool,
					people.map((p) => ({ login: p.now, name: p.name }))
				)
			: null;
		const wants = input.device ? people.filter((p) => withoutDevice(db, [p.now], siteOf(p, now), now).length) : [];
		const free = freeDevices(db, now);
		const devices = wants.flatMap((p) => free.promise(siteOf(p, now), p.memberOf[0] ?? '', [p.now]));
		const bare = wants.filter((p) => !devices.some((d) => d.person === p.now));
		const ended = people.filter((p) => p.ends <= now);
		const invited = input.invite ? people.filter((p) => p.mail !== null) : [];
		const noMail = input.invite ? people.filter((p) => p.mail === null) : [];

		const steps: StepSpec[] = [
			...(joins.length
				? [
						stepOf(
							'people.put',
							'Write their teams down',
							{
								people: joins.map((p) => ({
									login: p.now,
									teams: [...new Set([...p.memberOf.slice(1), ...input.teams.filter((t) => t !== p.memberOf[0])])]
								}))
							},
							100
						)
					]
				: []),
			...grants.map((g) =>
				stepOf(
					'grant.write',
					`Grant ${g.publication.internalName} to ${g.person.name}`,
					{
						id: g.id,
						publication: g.publication.id,
						teamId: null,
						personId: g.person.id,
						conditions: {},
						channels: ['clipboard'],
						kind: 'required' as const,
						machines: 1
					},
					100
				)
			),
			...(desks?.steps ?? (grants.length ? [stepOf('broker.tell', 'Tell the gateways', {}, 500)] : [])),
			...keepSteps(devices),
			...(invited.length
				? [
						stepOf(
							'people.invite',
							'Make the invitations',
							{ people: invited.map((p) => p.id), days: input.days },
							100
						),
						stepOf('people.send', 'Send them', { people: invited.map((p) => p.id) }, SECOND * invited.length)
					]
				: [])
		];
		const licences = given.flatMap((p) => {
			const need = grants.filter((g) => g.publication.id === p.id).length;
			if (p.licences === null || need === 0) return [];
			const { holders } = licencesAt(db, p, now);
			return holders + need > p.licences
				? [
						{
							blocks: p.beyond === 'block',
							fact: against(
								`licences of ${p.internalName}: ${holders} of ${p.licences} given, ${need} more needed`,
								'licences'
							)
						}
					]
				: [];
		});
		const first = Math.min(...people.map((p) => Math.max(p.begins, now)));
		const took = desks?.duration ?? { middle: 0, ninety: 0 };
		const rest = steps.filter((s) => s.kind !== 'machines.make').reduce((n, s) => n + s.expected, 0);
		const late = desks !== null && desks.give.length > 0 && now + took.ninety + rest > first && first > now;
		const who = people.length === 1 ? people[0]!.name : countWords(people.length, 'person', 'people');
		return {
			title: `Welcome ${who}`,
			effects: {
				...noEffects(),
				people: people.map((p) => ({
					kind: 'person',
					id: p.now,
					name: p.name,
					how:
						[
							...(joins.includes(p)
								? [
										`also in ${input.teams
											.filter((t) => !p.memberOf.includes(t))
											.map((t) => teams.get(t))
											.join(', ')}`
									]
								: []),
							...grants.filter((g) => g.person === p).map((g) => `has ${g.publication.internalName}`),
							...(desks?.give.filter((g) => g.person === p.now).map((g) => `keeps ${g.machine}`) ?? []),
							...devices.filter((d) => d.person === p.now).map((d) => `sits at ${d.name}`),
							...(invited.includes(p) ? ['is invited'] : [])
						].join('; ') || 'has it all already'
				})),
				machines: desks?.machines ?? [],
				endpoints: devices.map((d) => ({
					kind: 'endpoint',
					id: String(d.endpoint),
					name: d.name,
					how: `kept for ${people.find((p) => p.now === d.person)!.name}`
				})),
				bytes: desks?.bytes ?? 0,
				...(desks?.cost ? { cost: desks.cost } : {}),
				duration: { middle: took.middle + rest, ninety: took.ninety + Math.round(rest * 1.5) }
			},
			warnings: [
				...(noMail.length
					? [against(`no mail address of ${listed(noMail)} is known: nobody can be invited there`, 'directory')]
					: []),
				...(bare.length ? [against(`no endpoint is free for ${listed(bare)}`, 'endpoints')] : []),
				...licences.filter((l) => !l.blocks).map((l) => l.fact),
				...(late ? [against(`the machine may not be ready by ${say.day(first, people[0]!.site)}`, 'machines')] : [])
			],
			blocks: [
				...ended.map((p) => against(`${p.name} has ended`, 'directory')),
				...told
					.slice(0, 6)
					.map((p) =>
						against(`${p.name} is kept by ${SOURCE_WORDS[p.source]}: their teams are set there`, 'directory')
					),
				...licences.filter((l) => l.blocks).map((l) => l.fact),
				...(desks?.blocks ?? []),
				...(invited.length && portal === null
					? [against('it is not known under which address people reach the portal: set it under Settings', 'settings')]
					: []),
				...(steps.length === 0 ? [against('there is nothing to do: they have it all already')] : [])
			],
			reasons: [
				...(desks?.reasons ?? []),
				...(invited.length
					? [
							{
								words: `${invited.length === 1 ? 'a link goes' : `${invited.length} links go`} out, each for one use within ${countWords(input.days, 'day')}`,
								source: 'mail'
							}
						]
					: [])
			],
			objects: [
				...people.map((p) => `person/${p.now}`),
				...(pool ? [`pool/${pool.id}`] : []),
				...devices.map((d) => `endpoint/${d.endpoint}`),
				...grants.map((g) => `publication/${g.publication.id}`)
			],
			steps,
			undo: {
				kind: 'people.unwelcome',
				input: {
					people: people.map((p) => p.now),
					then: now - 1,
					joined: joins.map((p) => p.now),
					grants: grants.map((g) => g.id),
					machines: desks?.give.map((g) => g.machine).filter((m) => !desks.made.includes(m)) ?? [],
					made: desks?.made ?? [],
					devices: devices.map((d) => d.endpoint)
				}
			},
			undoWords:
				'Yes: machines, grants and teams are taken back, and links that were not used end. What was mailed stays mailed.'
		};
	}
});

const names = (most: number) => v.optional(v.pipe(v.array(text), v.maxLength(most)), []);
const unwelcome = planKind({
	kind: 'people.unwelcome',
	words: 'Take back what was made ready for people who were to begin',
	area: 'access',
	undo: 'never',
	schema: v.strictObject({
		people: v.pipe(v.array(text), v.minLength(1, 'Say who.'), v.maxLength(MANY)),
		then: v.pipe(v.number(), v.safeInteger(), v.minValue(0)),
		joined: names(MANY),
		grants: v.optional(v.pipe(v.array(v.pipe(v.number(), v.safeInteger())), v.maxLength(MANY * 20)), []),
		/** Machines that are given back. */
		machines: names(MANY),
		/** Machines that are removed. */
		made: names(MANY),
		/** Endpoints that are kept for them no longer. */
		devices: v.optional(v.pipe(v.array(v.pipe(v.number(), v.safeInteger())), v.maxLength(MANY)), [])
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const people = peopleOr(db, input.people, now);
		const stands = new Map(grantsAt(db, now).map((g) => [g.id, g]));
		const grants = input.grants.filter((id) => input.people.includes(stands.get(id)?.toLogin ?? ''));
		const theirs = (m: string): boolean =>
			people.some(
				(p) =>
					one(
						db,
						`SELECT 1 FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id AND m.until = pl.until WHERE m.name = ? AND pl.owner_id = ? AND pl.until > ?`,
						[m, p.id, now]
					) !== undefined
			);
		const back = input.machines.filter(theirs);
		const gone = input.made.filter(theirs);
		const kept = people.flatMap((p) => keptOf(db, p.id, now)).filter((d) => input.devices.includes(d.id));
		const steps: StepSpec[] = [
			...(input.joined.length
				? [stepOf('people.as-then', 'Write their teams down', { then: input.then, logins: input.joined }, 200)]
				: []),
			...grants.map((id) =>
				stepOf('grant.close', `Take back the grant of ${stands.get(id)!.publicationName}`, { id }, 100)
			),
			...(back.length
				? [
						stepOf(
							'machines.give',
							'Take the machines back',
							{ give: back.map((machine) => ({ machine, person: null })) },
							200
						)
					]
				: []),
			...(gone.length
				? [stepOf('machines.unmake', 'Remove the machines that were made for them', { machines: gone }, 30 * SECOND)]
				: []),
			...(kept.length
				? [
						stepOf(
							'endpoint.keep',
							'Keep their endpoints for nobody any more',
							{ give: kept.map((d) => ({ endpoint: d.id, person: null })) },
							500
						)
					]
				: []),
			stepOf('people.uninvite', 'End their links', { people: people.map((p) => p.id) }, 100),
			stepOf('broker.tell', 'Tell the gateways', {}, 500)
		];
		const took = steps.reduce((n, s) => n + s.expected, 0);
		return {
			title: `Take back what was made ready for ${people.length === 1 ? people[0]!.name : countWords(people.length, 'person', 'people')}`,
			effects: {
				...noEffects(),
				people: people.map((p) => ({ kind: 'person', id: p.now, name: p.name, how: 'loses what was made ready' })),
				machines: [...back, ...gone].map((m) => ({
					kind: 'machine',
					id: m,
					name: m,
					how: gone.includes(m) ? 'removed' : 'kept by nobody'
				})),
				duration: { middle: took, ninety: Math.round(took * 1.4) }
			},
			warnings: [],
			blocks: [],
			reasons: [{ words: 'what has been given to somebody else since stays with them', source: 'people' }],
			objects: people.map((p) => `person/${p.now}`),
			steps,
			undo: null,
			undoWords: 'They are welcomed again.'
		};
	}
});

/** When a link that is sent now ends, ms UTC. */
export const linkEnds = (begins: number, now: number, days: number): number => Math.max(begins, now) + days * DAY;

const portalAddress = planKind({
	kind: 'portal.address',
	words: 'Set the address under which people reach the portal: links that are sent to them begin with it',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		/** Empty: as Sextant was started. */
		address: v.pipe(
			v.string('Write an address such as https://desk.kept.example.'),
			v.trim(),
			v.maxLength(200, 'At most 200 characters.'),
			v.transform((t) => (t.endsWith('/') ? t.slice(0, -1) : t)),
			v.check((t) => t === '' || isAddress(t), 'Write an address such as https://desk.kept.example.')
		)
	}),
	async draft(ctx, { address }): Promise<Draft> {
		const before = setting(ctx.db, PORTAL_ADDRESS) ?? '';
		return {
			title:
				address === '' ? 'Let links name the address that Sextant was started with' : `Let links begin with ${address}`,
			effects: { ...noEffects(), duration: { middle: SECOND, ninety: SECOND } },
			warnings: address.startsWith('http://')
				? [against('what is sent there can be read on the way: it is not encrypted')]
				: [],
			blocks: address === before ? [against('it is so already', 'settings')] : [],
			reasons: [{ words: `until now ${before || setting(ctx.db, SERVED_AT) || 'none'}`, source: 'settings' }],
			objects: ['settings/portal'],
			steps: [stepOf('portal.address', 'Write it down', { address }, 100)],
			undo: { kind: 'portal.address', input: { address: before } },
			undoWords: 'Yes: links begin as before.'
		};
	}
});

/** Whether a text is the address of a server, with nothing behind its path. */
function isAddress(text: string): boolean {
	if (!URL.canParse(text)) return false;
	const url = new URL(text);
	return (
		/^https?:$/.test(url.protocol) && url.search === '' && url.hash === '' && url.username === '' && url.password === ''
	);
}

export const welcomePlans = [welcome, unwelcome, portalAddress];
