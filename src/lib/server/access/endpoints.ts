import * as v from 'valibot';
import { CHANNELS } from '$lib/core/access/decide';
import { csvAnswer } from '../calls/csv';
import { explained, lack } from '../calls/answers';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { fact, moment, text, whole } from '../lists/columns';
import { isTeam } from '../directory';
import { NotFound } from '../plans';
import { publicationsAt } from '../publications';
import { testAccess } from './circumstances';
import { landingOf } from '../publishing';
import { matrixIn, whyCell } from './matrix';

const yesNo = (what: string) => v.optional(v.pipe(v.picklist(['yes', 'no'], 'Write yes or no.'), v.description(what)));
const said = (answer: 'yes' | 'no' | undefined): boolean | null => (answer === undefined ? null : answer === 'yes');

export const accessEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/who',
		summary: 'Who gets what: teams against publications',
		need: read('publishing'),
		looks: 'scope and moment',
		answer: v.strictObject({
			at: moment,
			publications: v.array(v.strictObject({ id: text, name: text, shown: text, people: whole })),
			teams: v.array(
				v.strictObject({
					id: text,
					name: text,
					depth: whole,
					people: whole,
					has: v.array(whole),
					now: v.array(whole),
					required: v.array(whole)
				})
			)
		}),
		handle({ ctx, look }) {
			const { scope, at } = look();
			const { publications, teams } = matrixIn(ctx.db, scope, at);
			return { at, publications, teams };
		}
	}),
	endpoint({
		method: 'GET',
		path: '/who.csv',
		summary: 'Who gets what: teams against publications, as CSV (RFC 4180)',
		need: read('publishing'),
		work: 'long',
		looks: 'scope and moment',
		answer: { file: 'text/csv' },
		handle({ ctx, look }) {
			const { scope, at } = look();
			const { publications, teams } = matrixIn(ctx.db, scope, at);
			return csvAnswer(
				'who-gets-what',
				['team', 'above', 'people', ...publications.map((p) => p.name)],
				teams.map((t) => [t.name, t.depth, t.people, ...t.has])
			);
		}
	}),
	endpoint({
		method: 'GET',
		path: '/who/{team}/{publication}',
		summary: 'Why a team has a publication, or has it not',
		need: read('publishing'),
		looks: 'moment',
		params: { team: text, publication: text },
		answer: explained(v.boolean()),
		handle({ ctx: { db }, params: { team, publication }, look }) {
			const { at } = look();
			if (!isTeam(db, team)) throw new NotFound(`team called ${team}`);
			if (!publicationsAt(db, at).some((p) => p.id === publication))
				throw new NotFound(`publication called ${publication}`);
			return whyCell(db, at, team, publication);
		}
	}),
	endpoint({
		method: 'GET',
		path: '/access-test',
		summary: 'May this person open that, from there, at that time?',
		need: read('access'),
		looks: 'moment',
		query: {
			person: v.pipe(v.string('Say who, by their login.'), v.description('Login')),
			publication: v.pipe(v.string('Say which publication.'), v.description('Id')),
			address: v.optional(v.pipe(v.string(), v.description('Where they ask from; usually where they sit')), ''),
			managed: yesNo('Whether what they sit at is managed; usually as it is known'),
			factor: yesNo('Whether they give a second factor; usually they do')
		},
		answer: v.strictObject({
			value: v.strictObject({
				allowed: v.boolean(),
				grant: v.nullable(text),
				channels: v.array(v.picklist(CHANNELS)),
				lack: v.nullable(lack),
				advice: v.nullable(text)
			}),
			facts: v.array(fact),
			landing: v.nullable(
				explained(
					v.strictObject({
						pools: v.array(v.strictObject({ id: text, name: text })),
						first: v.nullable(text),
						resumes: v.nullable(text)
					})
				)
			),
			request: v.strictObject({
				personId: text,
				teams: v.array(text),
				at: moment,
				on: v.optional(moment),
				zone: text,
				address: text,
				device: v.strictObject({
					name: v.nullable(text),
					certificate: v.picklist(['good', 'ended', 'revoked', 'none'])
				}),
				begins: v.optional(moment),
				ends: v.optional(moment),
				secondFactor: v.boolean()
			})
		}),
		handle({ ctx, query, look }) {
			const decision = testAccess(ctx.db, {
				login: query.person,
				publication: query.publication,
				at: look().at,
				address: query.address || null,
				managed: said(query.managed),
				secondFactor: said(query.factor) ?? true
			});
			if (!decision) throw new NotFound(`person with the login ${query.person}`);
			return {
				...decision,
				landing: landingOf(ctx.db, query.person, query.publication, Math.min(look().at, look().now))
			};
		}
	})
];
