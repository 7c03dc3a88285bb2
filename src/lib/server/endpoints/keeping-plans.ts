import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { recordsOf } from '../directory';
import { factsOf } from '../moment/people-sql';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { keptFor } from './keeping';
import { endpointById } from './queries';
import { called, MANY } from './work-plans';

const against = (words: string): Fact => ({ words, side: 'against', source: 'endpoints' });

/** Who else is on a device, of those who have not ended. */
const othersOn = (db: Db, endpoint: number, login: string | null, at: number): string[] =>
	all<{ name: string }>(
		db,
		`SELECT p.name FROM person_endpoints x JOIN people p ON p.id = x.person_id
		 JOIN ${factsOf('p.id')} WHERE x.endpoint_id = @endpoint AND ${asOf('person_endpoints x')} AND f.ends > @at AND p.login IS NOT @login ORDER BY p.name`,
		{ endpoint, login, at }
	).map((p) => p.name);

/** Whether somebody had a device when it was kept for anybody last: a collection that was noted wrongly can be taken back. */
const hadLast = (db: Db, endpoint: number, person: number): boolean =>
	one<{ person: number }>(
		db,
		'SELECT person_id AS person FROM kept_endpoints WHERE endpoint_id = ? ORDER BY since DESC LIMIT 1',
		[endpoint]
	)?.person === person;

const keep = planKind({
	kind: 'endpoint.keep',
	words: 'Keep endpoints for people, or for nobody any more: what was to be collected has been',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		give: v.pipe(
			v.array(
				v.strictObject({
					endpoint: v.pipe(
						v.number('Say which.'),
						v.safeInteger('Name it by its number.'),
						v.minValue(1, 'Say which.')
					),
					/** A login; null: nobody. */
					person: v.nullable(
						v.pipe(v.string(), v.trim(), v.nonEmpty('Say for whom.'), v.maxLength(200, 'At most 200 characters.'))
					)
				})
			),
			v.minLength(1, 'Say which.'),
			v.maxLength(MANY, `At most ${MANY} at once.`)
		)
	}),
	async draft(ctx, { give }): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const people = recordsOf(
			db,
			give.flatMap((g) => g.person ?? []),
			now
		);
		const problems: { field: string; words: string }[] = [];
		const rows = [...new Map(give.map((g) => [g.endpoint, g])).values()].flatMap((g) => {
			const i = give.indexOf(g);
			const e = endpointById(db, g.endpoint, now);
			if (!e) problems.push({ field: `give.${i}.endpoint`, words: `There is no endpoint ${g.endpoint}.` });
			const person = g.person === null ? null : people.get(g.person);
			if (person === undefined)
				problems.push({ field: `give.${i}.person`, words: `Nobody has the login ${g.person!.slice(0, 60)}.` });
			return e && person !== undefined ? [{ e, person, before: keptFor(db, e.id, now) }] : [];
		});
		if (problems.length) throw new InputProblem(problems);
		const changed = rows.filter((r) => (r.before?.login ?? null) !== (r.person?.now ?? null));
		const [first] = changed.length ? changed : rows;
		const what = called(changed.map((r) => r.e));
		const whose = new Set(changed.map((r) => r.person?.name ?? null));
		const ends = changed.every((r) => r.person === null);
		const left = ends && changed.every((r) => r.before !== null && r.before.ends <= now);
		return {
			title: ends
				? left
					? `Note that ${what} ${changed.length === 1 ? 'has' : 'have'} been collected`
					: `Keep ${what} for nobody any more`
				: `Keep ${what} for ${whose.size === 1 ? first!.person!.name : countWords(whose.size, 'person', 'people')}`,
			effects: {
				...noEffects(),
				people: changed.flatMap(({ e, person, before }) => [
					...(person
						? [{ kind: 'person' as const, id: person.now, name: person.name, how: `${e.name} is theirs` }]
						: []),
					...(before
						? [{ kind: 'person' as const, id: before.login, name: before.person, how: `${e.name} is theirs no longer` }]
						: [])
				]),
				endpoints: changed.map(({ e, person }) => ({
					kind: 'endpoint',
					id: String(e.id),
					name: e.name,
					how: person ? `kept for ${person.name}` : 'free'
				})),
				duration: { middle: SECOND, ninety: 2 * SECOND }
			},
			warnings: changed.flatMap(({ e, person }) => {
				const others = person ? othersOn(db, e.id, person.now, now) : [];
				return others.length
					? [against(`${others.slice(0, 3).join(', ')} ${others.length === 1 ? 'is' : 'are'} on ${e.name}`)]
					: [];
			}),
			blocks: [
				...(changed.length ? [] : [against('it is so already')]),
				...changed.flatMap(({ e, person }) =>
					person && person.ends <= now && !hadLast(db, e.id, person.id)
						? [against(`${person.name} has ended`)]
						: person && e.branch === null
							? [against(`${e.name} stands in no branch: nobody gets in with it`)]
							: []
				)
			],
			reasons: [
				ends
					? { words: 'it may be kept for somebody else', source: 'endpoints' }
					: { words: 'it is not offered to anybody else while it is kept', source: 'endpoints' }
			],
			objects: [
				...changed.map((r) => `endpoint/${r.e.id}`),
				...new Set(changed.flatMap((r) => (r.person ? [`person/${r.person.now}`] : [])))
			],
			steps: [
				stepOf(
					'endpoint.keep',
					'Write down for whom they are',
					{ give: changed.map((r) => ({ endpoint: r.e.id, person: r.person?.now ?? null })) },
					500
				)
			],
			undo: {
				kind: 'endpoint.keep',
				input: { give: changed.map((r) => ({ endpoint: r.e.id, person: r.before?.login ?? null })) }
			},
			undoWords: 'Yes: they are kept for whom they were.'
		};
	}
});

export const keepingPlans = [keep];
