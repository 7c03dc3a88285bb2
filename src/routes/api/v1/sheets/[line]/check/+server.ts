import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { makeStep } from '$lib/core/images/sheet';
import { SHEET_LIMITS } from '$lib/core/images/sheet-text';
import { lineAt, reportOf, reportOfText, stepFields } from '$lib/server/images';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { NotFound, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

const body = v.union([
	v.strictObject({
		text: v.pipe(v.string(), v.maxLength(SHEET_LIMITS.characters, 'The text is too long for a sheet.'))
	}),
	v.strictObject({
		limit: v.number(),
		builder: v.strictObject({
			cores: v.number(),
			memory: v.number(),
			disk: v.number(),
			generation: v.picklist([1, 2])
		}),
		steps: v.pipe(
			v.array(v.strictObject({ ...stepFields, kind: v.pipe(v.string(), v.maxLength(100)) })),
			v.maxLength(SHEET_LIMITS.steps, `At most ${SHEET_LIMITS.steps} steps.`)
		)
	})
]);

/** Looks a sheet over without changing anything: problems, nearest order, time, cost, rights. */
export const POST = ({ params, request }) =>
	answer(async () => {
		const ctx = runtime();
		if (!lineAt(ctx.db, params.line, ctx.clock.now())) throw new NotFound(`image line called ${params.line}`);
		const given = parseInput(body, await bodyOf(request, null));
		if ('text' in given) return json(await reportOfText(ctx, params.line, given.text));
		const steps = given.steps.map(({ kind, with: p, ...rest }) => makeStep(kind, p, rest));
		return json({ report: await reportOf(ctx, params.line, { ...given, steps }), remarks: [] });
	});
