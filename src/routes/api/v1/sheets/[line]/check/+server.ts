import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { anyParams } from '$lib/core/images/library/params';
import { makeStep } from '$lib/core/images/sheet';
import { bodyOf } from '$lib/server/api/body';
import { answer } from '$lib/server/api/problems';
import { reportOf, reportOfText } from '$lib/server/images/report';
import { lineAt } from '$lib/server/images/queries';
import { NotFound, parseInput } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

const body = v.union([
	v.strictObject({ text: v.string() }),
	v.strictObject({
		limit: v.number(),
		builder: v.strictObject({
			cores: v.number(),
			memory: v.number(),
			disk: v.number(),
			generation: v.picklist([1, 2])
		}),
		steps: v.array(
			v.strictObject({
				kind: v.string(),
				with: v.optional(anyParams, {}),
				id: v.optional(v.string()),
				after: v.optional(v.array(v.string())),
				note: v.optional(v.string())
			})
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
