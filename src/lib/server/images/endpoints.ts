import * as v from 'valibot';
import { RIGHTS } from '$lib/core/images/library/kinds';
import { makeStep } from '$lib/core/images/sheet';
import { SHEET_LIMITS, writeSheet } from '$lib/core/images/sheet-text';
import { may } from '$lib/core/access/rights';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { commit, read } from '../calls/need';
import { range } from '../calls/answers';
import { bytes, cents, fact, share, span, text, whole } from '../lists/columns';
import { asKnown } from '../moment';
import { NotAllowed, NotFound } from '../plans';
import { billOfMaterials } from './bom';
import { stepFields } from './build-plans';
import { typeAtConsole } from './console';
import { lineAt, sheetAt } from './queries';
import { reportOf, reportOfText } from './report';

const builder = v.strictObject({
	cores: v.number(),
	memory: v.number(),
	disk: v.number(),
	generation: v.picklist([1, 2])
});

const sheet = v.strictObject({
	steps: v.array(
		v.strictObject({
			kind: text,
			with: v.record(text, v.unknown()),
			id: v.optional(text),
			after: v.optional(v.array(text)),
			note: v.optional(text)
		})
	),
	limit: span,
	builder
});

const wrong = v.strictObject({ line: whole, column: whole, message: text });

const report = v.strictObject({
	sheet,
	text,
	problems: v.array(
		v.strictObject({
			step: whole,
			field: v.optional(text),
			fact,
			line: v.optional(whole),
			column: v.optional(whole)
		})
	),
	steps: v.array(
		v.strictObject({
			words: text,
			note: text,
			middle: span,
			ninety: span,
			runs: whole,
			from: v.picklist(['this builder', 'other builders', 'other lines', 'its kind', 'assumption'])
		})
	),
	expected: range,
	over: share,
	better: v.nullable(v.strictObject({ order: v.array(whole), words: v.array(text) })),
	rights: v.array(
		v.strictObject({
			right: v.picklist(Object.keys(RIGHTS)),
			words: text,
			steps: v.array(text),
			granted: v.boolean()
		})
	),
	builders: v.array(
		v.strictObject({ cores: whole, disk: bytes, middle: span, ninety: span, cost: cents, own: v.boolean() })
	),
	saves: v.nullable(text)
});

export const imageEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/sheets/{line}',
		summary: 'The build sheet of an image line, as a file',
		need: read('images'),
		looks: 'moment',
		params: { line: text },
		answer: { file: 'application/yaml' },
		handle({ ctx, params, look }) {
			const found = sheetAt(ctx.db, params.line, asKnown(look()));
			if (!found) throw new NotFound(`image line called ${params.line}`);
			return new Response(writeSheet(found), {
				headers: {
					'content-type': 'application/yaml; charset=utf-8',
					'content-disposition': `inline; filename="${params.line}.yaml"`
				}
			});
		}
	}),
	endpoint({
		method: 'POST',
		path: '/sheets/{line}/check',
		keepsWithin: true,
		summary: 'Looks a sheet over without changing anything: problems, nearest right order, time, cost, rights',
		need: read('images'),
		work: 'long',
		params: { line: text },
		body: v.union([
			v.strictObject({
				text: v.pipe(v.string(), v.maxLength(SHEET_LIMITS.characters, 'The text is too long for a sheet.'))
			}),
			v.strictObject({
				limit: v.number(),
				builder,
				steps: v.pipe(
					v.array(v.strictObject({ ...stepFields, kind: v.pipe(v.string(), v.maxLength(100)) })),
					v.maxLength(SHEET_LIMITS.steps, `At most ${SHEET_LIMITS.steps} steps.`)
				)
			})
		]),
		instead: null,
		answer: v.union([v.strictObject({ report, remarks: v.array(wrong) }), v.strictObject({ wrong: v.array(wrong) })]),
		async handle({ ctx, params, body }) {
			if (!lineAt(ctx.db, params.line, ctx.clock.now())) throw new NotFound(`image line called ${params.line}`);
			if ('text' in body) return reportOfText(ctx, params.line, body.text);
			const steps = body.steps.map(({ kind, with: p, ...rest }) => makeStep(kind, p, rest));
			return { report: await reportOf(ctx, params.line, { ...body, steps }), remarks: [] };
		}
	}),
	endpoint({
		method: 'GET',
		path: '/boms/{line}/{number}',
		summary: 'The contents of a version as CycloneDX',
		need: read('images'),
		looks: 'moment',
		work: 'here',
		params: { line: text, number: text },
		answer: { file: 'application/vnd.cyclonedx+json' },
		async handle({ ctx, params, look }) {
			const line = lineAt(ctx.db, params.line, asKnown(look()));
			const version = line?.versions.find((x) => x.number === params.number);
			if (!line || !version) throw new NotFound(`version ${params.line} ${params.number}`);
			return new Response(await billOfMaterials(version, line.system), {
				headers: {
					'content-type': 'application/vnd.cyclonedx+json; version=1.6',
					'content-disposition': `attachment; filename="${params.line}-${params.number}.cdx.json"`
				}
			});
		}
	}),
	endpoint({
		method: 'POST',
		path: '/consoles/{line}',
		summary:
			'Types a line at the console of a reference machine that is open; what it does becomes a version only by a plan',
		need: commit('images'),
		work: 'here',
		params: { line: text },
		body: v.strictObject({ text: v.pipe(v.string(), v.maxLength(2000, 'At most 2,000 characters.')) }),
		instead: null,
		answer: v.strictObject({ printed: v.array(text) }),
		async handle({ ctx, params, body, caller }) {
			if (!caller || !may(caller.rights, 'images', 'commit'))
				throw new NotAllowed('Only builders and owners may work on reference machines.');
			return { printed: await typeAtConsole(ctx, params.line, body.text, caller.name) };
		}
	})
];
