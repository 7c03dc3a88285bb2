import { json } from '@sveltejs/kit';
import * as v from 'valibot';
import { answer } from '$lib/server/api/problems';
import { overlayFor } from '$lib/server/capacity';
import { lineAt } from '$lib/server/images';
import { NotFound, parseInput } from '$lib/server/plans';
import { whole } from '$lib/server/plans/fields';
import { runtime } from '$lib/server/runtime';

const query = v.strictObject({
	line: v.string('Name an image line.'),
	perMachine: whole(1, 60, 'the sessions'),
	keeps: whole(1, 365, 'the days'),
	pageFile: v.pipe(v.number('Write the page file in bytes.'), v.minValue(0, 'Not less than nothing.')),
	pageOnOverlay: v.boolean()
});

/** How large the overlay of a machine should be, from what a day's work on the line's machines writes. */
export const GET = ({ url }) =>
	answer(async () => {
		const ask = url.searchParams;
		const want = parseInput(query, {
			line: ask.get('line'),
			perMachine: Number(ask.get('perMachine') ?? 1),
			keeps: Number(ask.get('keeps') ?? 1),
			pageFile: Number(ask.get('pageFile') ?? 0),
			pageOnOverlay: ask.get('pagePlace') !== 'apart'
		});
		const ctx = runtime();
		if (!lineAt(ctx.db, want.line, ctx.clock.now())) throw new NotFound(`image line called ${want.line}`);
		return json(overlayFor(ctx, want));
	});
