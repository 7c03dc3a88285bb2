import * as v from 'valibot';
import { waysOf } from '$lib/core/people/bring';
import { goneAt, outcomes, sameRecord, type Outcome } from '$lib/core/people/changes';
import { PERSON_FIELDS, type PersonField } from '$lib/core/people/columns';
import type { GivenPerson } from '$lib/core/people/given';
import { changeWords, type DirectoryChange, type PersonRecord, type TeamRecord } from '$lib/core/people/record';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, FOREVER, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { freeTeamId, recordsOf, saidBy, teamProblem } from '../directory';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { FORMATS, importNow, knownHere, namedIn, type Import } from './files';
import { putNow } from './put';

/** What a plan is undone to: its job may write in the very millisecond in which it was worked out. */
export const justBefore = (now: number): number => now - 1;

/** The most people that a plan names one by one. */
const MANY = 500;
/** Ways of change and wrong lines that a plan says. */
const WAYS = 12;
const WRONG = 25;

const text = v.pipe(v.string('Write it as text.'), v.maxLength(500, 'At most 500 characters.'));
const nullable = v.optional(v.nullable(text));
export const givenSchema = v.strictObject({
	login: text,
	was: v.optional(text),
	name: v.optional(text),
	mail: nullable,
	employment: nullable,
	manager: nullable,
	site: v.optional(text),
	language: nullable,
	pattern: v.optional(text),
	begins: nullable,
	ends: nullable,
	team: nullable,
	teams: v.optional(v.pipe(v.array(text), v.maxLength(100, 'At most 100 teams.'))),
	moves: v.optional(
		v.pipe(
			v.array(
				v.strictObject({
					on: text,
					site: v.optional(text),
					team: v.optional(text),
					teams: v.optional(v.pipe(v.array(text), v.maxLength(100, 'At most 100 teams.')))
				})
			),
			v.maxLength(20, 'At most 20 moves.')
		)
	)
});

export const importSchema = v.strictObject({
	file: v.pipe(v.number('Bring a file first.'), v.integer(), v.minValue(1)),
	as: v.picklist(FORMATS, 'Choose ldif or csv.'),
	columns: v.optional(
		v.pipe(
			v.array(v.nullable(v.picklist(Object.keys(PERSON_FIELDS) as PersonField[], 'No column holds that.'))),
			v.maxLength(200, 'At most 200 columns.')
		)
	),
	whole: v.optional(v.boolean()),
	site: v.optional(text),
	team: v.optional(text)
});

/** What plans of people come to: whom they touch, with how, and the ways of change that most share. */
function effectsOf(db: Db, found: readonly Outcome[]): Pick<Draft, 'effects' | 'reasons'> {
	const say = saidBy(db);
	return {
		effects: {
			...noEffects(),
			people: found.map((o) => ({
				kind: 'person',
				id: o.login,
				name: o.after.name,
				how: changeWords(o.before, o.after, say).join('; ')
			})),
			duration: { middle: SECOND, ninety: 5 * SECOND + found.length }
		},
		reasons: waysOf(found, say, WAYS).map((w): Fact => ({
			words: found.length === 1 ? w.words : `${countWords(w.people, 'person', 'people')}: ${w.words}`
		}))
	};
}

/** In a few words what becomes of how many: `2 people come, 1 changes, 1 goes`. */
function countsWords(found: readonly Outcome[], now: number): string {
	const come = found.filter((o) => o.before === null || (o.before.ends <= now && o.after.ends > now)).length;
	const go = found.filter((o) => o.before !== null && o.before.ends > now && o.after.ends <= now).length;
	const change = found.length - come - go;
	const parts = [
		come ? `${countWords(come, 'person comes', 'people come')}` : '',
		change ? `${change} ${change === 1 ? 'changes' : 'change'}` : '',
		go ? `${go} ${go === 1 ? 'goes' : 'go'}` : ''
	];
	return parts.filter(Boolean).join(', ');
}

const putPeople = planKind({
	kind: 'people.put',
	words:
		'Add people to Sextant’s own list, or change those who are in it: facts, teams, moves to come, first and last days',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		people: v.pipe(
			v.array(givenSchema),
			v.minLength(1, 'Say who.'),
			v.maxLength(MANY, `At most ${MANY} people at once: bring a list of more as a file.`)
		)
	}),
	async draft(ctx, { people }): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const { changes, known, problems, blocks } = putNow(db, people as GivenPerson[], now);
		if (problems.length) throw new InputProblem(problems);
		const found = outcomes(changes, (login) => known.get(login) ?? null);
		const [first] = found;
		const title =
			found.length === 1
				? `${first!.before === null ? 'Add' : 'Change'} ${first!.after.name}`
				: `Put ${countWords(people.length, 'person', 'people')} in the list`;
		return {
			title,
			...effectsOf(db, found),
			warnings: [],
			blocks: [...blocks, ...(found.length ? [] : [{ words: 'it is so already', side: 'against' as const }])],
			objects: changes.map((c) => `person/${c.is.login}`),
			steps: [stepOf('people.put', 'Write them down', { people: people as GivenPerson[] }, 100)],
			undo: { kind: 'people.as-then', input: { then: justBefore(now), logins: found.map((o) => o.login) } },
			undoWords: 'They are again what they were; whoever was not there goes.'
		};
	}
});

const importPeople = planKind({
	kind: 'people.import',
	words: 'Take people in from a file that was brought: LDIF (RFC 2849), or a table in CSV with its columns matched',
	area: 'access',
	undo: 'back',
	schema: importSchema,
	async draft(ctx, ask): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const b = importNow(db, ask as Import, now);
		const wrong = b.problems.length;
		const lines = b.problems.slice(0, WRONG).map((p): Fact => ({
			words: p.line > 0 ? `line ${p.line}: ${p.words}` : p.words,
			side: 'against',
			source: b.name
		}));
		const more = wrong - lines.length;
		const before = new Map(b.known.teams.map((t) => [t.id, t]));
		const { effects, reasons } = effectsOf(db, b.outcomes);
		const reachNobody = b.goneTeams.flatMap((id): Fact[] => {
			const n = grantsTo(db, id);
			return n
				? [
						{
							words: `${countWords(n, 'grant')} to ${before.get(id)?.name ?? id} would reach nobody any more`,
							side: 'against'
						}
					]
				: [];
		});
		return {
			title: `Take in ${b.name}: ${countsWords(b.outcomes, now) || 'nobody is another'}`,
			effects,
			warnings: reachNobody,
			blocks: [
				...lines,
				...(more > 0 ? [{ words: `${countWords(more, 'more line')} cannot be read`, side: 'against' as const }] : []),
				...(wrong === 0 && b.outcomes.length === 0 && b.teams.length === 0 && b.goneTeams.length === 0
					? [{ words: 'it says what is known already', side: 'against' as const }]
					: [])
			],
			reasons: [
				...b.teams.map((t): Fact => ({
					words: before.has(t.id) ? `team ${t.name} is called so, or hangs elsewhere` : `team ${t.name} is new`
				})),
				...reasons,
				...(b.same ? [{ words: `${countWords(b.same, 'person stays', 'people stay')} as they are known` }] : [])
			],
			objects: ['people/list', ...b.outcomes.slice(0, MANY).map((o) => `person/${o.login}`)],
			steps: [stepOf('people.import', 'Write them down', ask as Import, 1000 + b.outcomes.length / 10)],
			undo: {
				kind: 'people.as-then',
				input: {
					then: justBefore(now),
					import: ask,
					teams: {
						before: b.teams.flatMap((t) => before.get(t.id) ?? []),
						came: b.teams.filter((t) => !before.has(t.id)).map((t) => t.id),
						went: b.goneTeams.flatMap((id) => before.get(id) ?? [])
					}
				}
			},
			undoWords: 'Everybody whom the file names is again what they were; whoever came by it goes.'
		};
	}
});

const teamRecord = v.strictObject({ id: text, name: text, parent: v.nullable(text) });
export const asThenSchema = v.strictObject({
	then: v.pipe(v.number(), v.safeInteger(), v.minValue(0)),
	logins: v.optional(v.pipe(v.array(text), v.maxLength(MANY))),
	import: v.optional(importSchema),
	teams: v.optional(
		v.strictObject({
			before: v.pipe(v.array(teamRecord), v.maxLength(5000)),
			came: v.pipe(v.array(text), v.maxLength(5000)),
			went: v.pipe(v.array(teamRecord), v.maxLength(5000))
		})
	)
});
export type AsThen = v.InferOutput<typeof asThenSchema>;

/** What brings some people back to what they were at a moment, now: those who were not there go, moves that are over are none. */
export function backThen(db: Db, ask: AsThen, now: number): DirectoryChange[] {
	const logins = ask.logins ?? (ask.import ? namedIn(db, ask.import as Import, now) : []);
	const is = recordsOf(db, logins, now);
	const was = recordsOf(db, logins, ask.then);
	return [...is.values()].flatMap((p): DirectoryChange[] => {
		const before = was.get(p.now);
		const after: PersonRecord = before ? { ...before, moves: before.moves.filter((m) => m.at > now) } : goneAt(p, now);
		const renamed = after.login === p.login ? {} : { was: p.login };
		return sameRecord(p, after) ? [] : [{ at: now, kind: 'person', is: after, ...renamed }];
	});
}

const asThen = planKind({
	kind: 'people.as-then',
	words: 'Bring people of Sextant’s own list back to what they were at a moment',
	area: 'access',
	undo: 'sometimes',
	schema: asThenSchema,
	async draft(ctx, ask): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const changes = backThen(db, ask, now);
		const logins = changes.flatMap((c) => (c.kind === 'person' ? [c.was ?? c.is.login] : []));
		const known = knownHere(db, now, recordsOf(db, logins, now));
		const found = outcomes(changes, (login) => known.people.get(login) ?? null);
		const shut = found.flatMap((o) => known.shut('person', o.before?.login ?? o.login) ?? []);
		const teams = ask.teams ? ask.teams.before.length + ask.teams.came.length + ask.teams.went.length : 0;
		const few = found.length <= MANY && teams === 0;
		return {
			title: `Bring ${found.length === 1 ? found[0]!.after.name : countWords(found.length, 'person', 'people')} back to what they were`,
			...effectsOf(db, found),
			warnings: [],
			blocks: [
				...shut.slice(0, WRONG).map((words): Fact => ({ words, side: 'against', source: 'directory' })),
				...(found.length || teams ? [] : [{ words: 'they are so already', side: 'against' as const }])
			],
			objects: ['people/list', ...found.slice(0, MANY).map((o) => `person/${o.login}`)],
			steps: [stepOf('people.as-then', 'Write them down', ask, 500)],
			undo: few
				? { kind: 'people.as-then', input: { then: justBefore(now), logins: found.map((o) => o.login) } }
				: null,
			undoWords: few ? 'They are again what they are now.' : 'The file is taken in again.'
		};
	}
});

const teamName = v.pipe(
	v.string('Write a name.'),
	v.trim(),
	v.nonEmpty('Write a name.'),
	v.maxLength(100, 'At most 100 characters.')
);

/** A team of our own list, or what is wrong with it, by the field. */
function ownTeam(db: Db, id: string, now: number): TeamRecord & { people: number } {
	const team = one<TeamRecord & { source: string }>(
		db,
		'SELECT id, name, parent_id AS parent, source FROM teams WHERE id = ? AND gone = 0',
		[id]
	);
	if (!team) throw new InputProblem([{ field: 'team', words: `There is no team ${id.slice(0, 60)}.` }]);
	const shut = knownHere(db, now, new Map()).shut('team', id);
	if (shut) throw new InputProblem([{ field: 'team', words: shut }]);
	const people = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM memberships WHERE team_id = ? AND until = ${FOREVER}`,
		[id]
	)!.n;
	return { id: team.id, name: team.name, parent: team.parent, people };
}

function checkTeam(db: Db, team: TeamRecord): void {
	if (team.parent !== null && !one(db, 'SELECT 1 FROM teams WHERE id = ? AND gone = 0', [team.parent]))
		throw new InputProblem([{ field: 'parent', words: `There is no team ${team.parent.slice(0, 60)}.` }]);
	const wrong = teamProblem(db, team);
	if (wrong)
		throw new InputProblem([
			{ field: wrong.includes('called') ? 'name' : 'parent', words: `It cannot be so: ${wrong}.` }
		]);
}

/** Grants that go to a team now. */
const grantsTo = (db: Db, team: string): number =>
	one<{ n: number }>(db, `SELECT count(*) AS n FROM grants WHERE team_id = ? AND until = ${FOREVER}`, [team])!.n;

const quick = { ...noEffects(), duration: { middle: SECOND, ninety: 2 * SECOND } };

const addTeam = planKind({
	kind: 'team.add',
	words: 'Add a team to Sextant’s own list',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({ name: teamName, parent: v.optional(v.nullable(text)), id: v.optional(text) }),
	async draft(ctx, { name, parent = null, id: given }): Promise<Draft> {
		const { db } = ctx;
		const again =
			given === undefined
				? undefined
				: one<{ gone: number }>(db, `SELECT gone FROM teams WHERE id = ? AND source = 'here'`, [given]);
		if (given !== undefined && again?.gone !== 1)
			throw new InputProblem([{ field: 'id', words: 'That team has not gone.' }]);
		const id = given ?? freeTeamId(db, name);
		checkTeam(db, { id, name, parent });
		return {
			title: `Add the team ${name}`,
			effects: quick,
			warnings: [],
			blocks: [],
			reasons:
				parent === null
					? []
					: [{ words: `it stands below ${saidBy(db).team(parent)}: what is granted to that reaches it` }],
			objects: [`team/${id}`],
			steps: [stepOf('team.write', 'Write the team down', { id, name, parent }, 100)],
			undo: { kind: 'team.remove', input: { team: id } },
			undoWords: 'The team goes.'
		};
	}
});

const changeTeam = planKind({
	kind: 'team.change',
	words: 'Call a team of Sextant’s own list otherwise, or hang it below another',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({ team: text, name: v.optional(teamName), parent: v.optional(v.nullable(text)) }),
	async draft(ctx, { team: id, name, parent }): Promise<Draft> {
		const { db } = ctx;
		const team = ownTeam(db, id, ctx.clock.now());
		const is = { id, name: name ?? team.name, parent: parent === undefined ? team.parent : parent };
		checkTeam(db, is);
		const say = saidBy(db);
		const above = (p: string | null) => (p === null ? 'no team' : say.team(p));
		return {
			title: `Change the team ${team.name}`,
			effects: quick,
			warnings: [],
			blocks:
				is.name === team.name && is.parent === team.parent ? [{ words: 'it is so already', side: 'against' }] : [],
			reasons: [
				...(is.name === team.name ? [] : [{ words: `it is called ${is.name}` }]),
				...(is.parent === team.parent
					? []
					: [
							{
								words: `it stands below ${above(is.parent)}, no longer below ${above(team.parent)}: grants to those reach its people, or do not`
							}
						])
			],
			objects: [`team/${id}`],
			steps: [stepOf('team.write', 'Write the team down', is, 100)],
			undo: { kind: 'team.change', input: { team: id, name: team.name, parent: team.parent } },
			undoWords: 'It is again called and placed as it was.'
		};
	}
});

const removeTeam = planKind({
	kind: 'team.remove',
	words: 'Take a team that nobody is of out of Sextant’s own list',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({ team: text }),
	async draft(ctx, { team: id }): Promise<Draft> {
		const { db } = ctx;
		const team = ownTeam(db, id, ctx.clock.now());
		const below = all<{ name: string }>(db, 'SELECT name FROM teams WHERE parent_id = ? AND gone = 0', [id]);
		const grants = grantsTo(db, id);
		const against = (words: string): Fact => ({ words, side: 'against' });
		return {
			title: `Remove the team ${team.name}`,
			effects: quick,
			warnings: [],
			blocks: [
				...(team.people ? [against(`${countWords(team.people, 'person is', 'people are')} of it`)] : []),
				...(below.length
					? [against(`${below.map((t) => t.name).join(', ')} ${below.length === 1 ? 'stands' : 'stand'} below it`)]
					: []),
				...(grants ? [against(`${countWords(grants, 'grant goes', 'grants go')} to it`)] : [])
			],
			reasons: [{ words: team.people ? 'its people have to go first' : 'nobody is of it', source: 'directory' }],
			objects: [`team/${id}`],
			steps: [stepOf('team.end', 'Take it out', { id }, 100)],
			undo: { kind: 'team.add', input: { name: team.name, parent: team.parent, id } },
			undoWords: 'The team is there again.'
		};
	}
});

export const peoplePlans = [putPeople, importPeople, asThen, addTeam, changeTeam, removeTeam];
