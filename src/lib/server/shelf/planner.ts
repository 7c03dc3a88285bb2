import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, durationWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { one } from '../db';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { type PublicationRow, publicationsAt } from '../publications';
import { licencesAt, reachedBy } from '../publishing';
import { requestsAt, shelfOf } from './queries';

const publication = v.pipe(v.string(), v.nonEmpty('Choose a publication.'));
const person = v.pipe(v.string(), v.nonEmpty('Say who.'));

function publicationOrThrow(ctx: Context, id: string): PublicationRow {
	const p = publicationsAt(ctx.db, ctx.clock.now()).find((x) => x.id === id);
	if (!p) throw new InputProblem([{ field: 'publication', words: `There is no publication called ${id}.` }]);
	return p;
}

function personOrThrow(ctx: Context, login: string): { id: number; name: string } {
	const row = one<{ id: number; name: string }>(ctx.db, 'SELECT id, name FROM people WHERE login = ?', [login]);
	if (!row) throw new InputProblem([{ field: 'person', words: `The directory knows nobody called ${login}.` }]);
	return row;
}

/** Whether one more holder goes beyond the licences, and whether that is in the way. */
function oneMore(ctx: Context, p: PublicationRow): Pick<Draft, 'warnings' | 'blocks'> {
	if (p.licences === null) return { warnings: [], blocks: [] };
	const { holders } = licencesAt(ctx.db, p, ctx.clock.now());
	if (holders < p.licences) return { warnings: [], blocks: [] };
	const fact: Fact = {
		words: `all ${countWords(p.licences, 'licence')} of ${p.name} are held`,
		side: 'against',
		source: 'licences'
	};
	return p.beyond === 'block' ? { warnings: [], blocks: [fact] } : { warnings: [fact], blocks: [] };
}

const fetchPlan = planKind({
	kind: 'shelf.fetch',
	words: 'Put an optional publication on somebody’s shelf',
	area: 'shelf',
	undo: 'back',
	schema: v.strictObject({ publication, person }),
	async draft(ctx, input): Promise<Draft> {
		const p = publicationOrThrow(ctx, input.publication);
		const who = personOrThrow(ctx, input.person);
		const item = shelfOf(ctx.db, input.person, ctx.clock.now(), true)!.find((x) => x.id === p.id);
		const more = oneMore(ctx, p);
		return {
			title: `Put ${p.name} on the shelf of ${who.name}`,
			effects: {
				...noEffects(),
				people: [{ kind: 'person', id: input.person, name: who.name, how: 'has it on their shelf' }]
			},
			warnings: more.warnings,
			blocks:
				item?.standing === 'can fetch'
					? more.blocks
					: [
							{
								words:
									item === undefined || item.standing === 'can ask'
										? 'no grant lets them fetch it'
										: 'it is on their shelf already',
								side: 'against'
							}
						],
			reasons: item?.by ? [{ words: `it is optional by the grant to ${item.by}`, side: 'for', source: 'grants' }] : [],
			objects: [`shelf/${input.person}/${p.id}`],
			steps: [
				{
					kind: 'shelf.fetch',
					words: 'Put it on the shelf',
					input: { publication: p.id, person: who.id },
					expected: 200
				}
			],
			undo: { kind: 'shelf.drop', input: { publication: p.id, people: [input.person] } },
			undoWords: 'Yes: it is taken off their shelf.'
		};
	}
});

const dropPlan = planKind({
	kind: 'shelf.drop',
	words: 'Take an optional publication off shelves, and its licences back',
	area: 'shelf',
	undo: 'sometimes',
	schema: v.strictObject({ publication, people: v.pipe(v.array(v.string()), v.minLength(1, 'Say whose.')) }),
	async draft(ctx, input): Promise<Draft> {
		const p = publicationOrThrow(ctx, input.publication);
		const reached = reachedBy(ctx.db, p, ctx.clock.now());
		const people = input.people.map((login) => ({ login, ...personOrThrow(ctx, login) }));
		const blocks = people.flatMap(({ login, name }): Fact[] => {
			const r = reached.get(login);
			if (r?.having === 'fetched') return [];
			return [
				{
					words:
						r?.having === 'required'
							? `it is required of ${name}, by the grant to ${r.by.toName}: change that grant`
							: `it is not on the shelf of ${name}`,
					side: 'against',
					...(r ? { about: { kind: 'grant', id: String(r.by.id) } } : {})
				}
			];
		});
		return {
			title: `Take ${p.name} off the shelf of ${people.length === 1 ? people[0]!.name : countWords(people.length, 'person', 'people')}`,
			effects: {
				...noEffects(),
				people: people.map((x) => ({
					kind: 'person',
					id: x.login,
					name: x.name,
					how: 'no longer has it on their shelf'
				}))
			},
			warnings: [],
			blocks,
			reasons: [
				{ words: 'they can fetch it again as long as it is granted to them', side: 'for', source: 'grants' },
				...(p.licences === null
					? []
					: [{ words: `${countWords(people.length, 'licence comes', 'licences come')} back`, source: 'licences' }])
			],
			objects: people.map((x) => `shelf/${x.login}/${p.id}`),
			steps: [
				{
					kind: 'shelf.drop',
					words: 'Take it off',
					input: { publication: p.id, people: people.map((x) => x.id) },
					expected: 200
				}
			],
			undo:
				people.length === 1 ? { kind: 'shelf.fetch', input: { publication: p.id, person: people[0]!.login } } : null,
			undoWords: people.length === 1 ? 'Yes: it is put back.' : 'Not at once: they fetch it again by themselves.'
		};
	}
});

const requestPlan = planKind({
	kind: 'request.make',
	words: 'Ask for a publication that is not granted',
	area: 'shelf',
	undo: 'never',
	schema: v.strictObject({
		publication,
		person,
		why: v.pipe(
			v.string(),
			v.trim(),
			v.nonEmpty('Say what you need it for.'),
			v.maxLength(300, 'At most 300 characters.')
		)
	}),
	decides: (_ctx, input) => [`person/${input.person}`],
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const p = publicationOrThrow(ctx, input.publication);
		const who = personOrThrow(ctx, input.person);
		const item = shelfOf(ctx.db, input.person, now, true)!.find((x) => x.id === p.id);
		const open = requestsAt(ctx.db, now).find(
			(r) => r.publication === p.id && r.login === input.person && r.answer === null
		);
		return {
			title: `Ask for ${p.name} for ${who.name}`,
			effects: noEffects(),
			warnings: [],
			blocks:
				item?.standing !== 'can ask'
					? [{ words: item ? 'it is theirs already' : 'it cannot be asked for', side: 'against' }]
					: open
						? [
								{
									words: `it was asked for ${durationWords(now - open.at)} ago, and waits for an answer`,
									side: 'against'
								}
							]
						: [],
			reasons: [{ words: `${p.owner} answers for it`, source: 'publication' }],
			objects: [`request/${input.person}/${p.id}`],
			steps: [
				{
					kind: 'request.make',
					words: 'Write the request down',
					input: { publication: p.id, person: who.id, why: input.why },
					expected: 200
				}
			],
			undo: null,
			undoWords: 'No: it is answered, one way or the other.'
		};
	}
});

const answerPlan = planKind({
	kind: 'request.answer',
	words: 'Approve a request, which grants the publication to whoever asked, or decline it',
	area: 'shelf',
	undo: 'sometimes',
	schema: v.strictObject({
		request: v.pipe(v.number(), v.integer()),
		approve: v.boolean(),
		words: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(300, 'At most 300 characters.')), '')
	}),
	// Who is answered: what it grants concerns nobody else.
	decides: (_ctx, input) => [`request/${input.request}`],
	async draft(ctx, input): Promise<Draft> {
		const r = requestsAt(ctx.db, ctx.clock.now()).find((x) => x.id === input.request);
		if (!r) throw new InputProblem([{ field: 'request', words: `There is no request ${input.request}.` }]);
		if (!input.approve && input.words === '')
			throw new InputProblem([{ field: 'words', words: 'Say why: they will read it.' }]);
		const p = publicationOrThrow(ctx, r.publication);
		const more = input.approve ? oneMore(ctx, p) : { warnings: [], blocks: [] };
		const who = personOrThrow(ctx, r.login);
		const grant = one<{ n: number }>(ctx.db, 'SELECT coalesce(max(id), 0) + 1 AS n FROM grants')!.n;
		return {
			title: `${input.approve ? 'Approve' : 'Decline'} the request of ${r.person} for ${p.internalName}`,
			effects: {
				...noEffects(),
				people: [
					{ kind: 'person', id: r.login, name: r.person, how: input.approve ? 'gains access' : 'is told why not' }
				]
			},
			warnings: more.warnings,
			blocks: r.answer ? [{ words: `it was ${r.answer} by ${r.answeredBy}`, side: 'against' }] : more.blocks,
			reasons: [
				{ words: `${r.person}, ${r.team}: “${r.why}”`, at: r.at, source: 'request' },
				...(input.approve ? [{ words: 'a grant to them by name puts it on their shelf', source: 'grants' }] : [])
			],
			objects: [`request/${r.id}`, ...(input.approve ? [`publication/${p.id}`, `grant/${grant}`] : [])],
			steps: [
				{
					kind: 'request.answer',
					words: 'Write the answer',
					input: { request: r.id, approve: input.approve, words: input.words },
					expected: 200
				},
				...(input.approve
					? [
							stepOf(
								'grant.write',
								'Write the grant',
								{
									id: grant,
									publication: p.id,
									teamId: null,
									personId: who.id,
									conditions: {},
									channels: ['clipboard'],
									kind: 'required',
									machines: 1
								},
								200
							),
							stepOf('broker.tell', 'Tell the gateways', {}, 500)
						]
					: [])
			],
			undo: input.approve ? { kind: 'grant.remove', input: { grant } } : null,
			undoWords: input.approve ? 'Yes: the grant is taken back; the answer stands.' : 'No: they have been told.'
		};
	}
});

export const shelfPlans = [fetchPlan, dropPlan, requestPlan, answerPlan];
