import { json } from '@sveltejs/kit';
import type { Sort } from '$lib/core/packages/sorting';
import { answer } from '$lib/server/api/problems';
import { captureOrGone } from '$lib/server/packages';
import { runtime } from '$lib/server/runtime';

const SORTS: ReadonlySet<string> = new Set(['app', 'noise', 'doubtful']);

/** What lies right below a branch of a capture (`path`), or what `q` is found in; `sort` narrows to app, noise or doubtful. */
export const GET = ({ params, url }) =>
	answer(async () => {
		const ctx = runtime();
		const { id, choices } = captureOrGone(ctx, Number(params.id));
		const text = url.searchParams.get('q');
		const sort = url.searchParams.get('sort') ?? '';
		return json({
			rows: text
				? await ctx.packer.captures.search(id, choices, text)
				: await ctx.packer.captures.children(
						id,
						choices,
						url.searchParams.get('path') ?? '',
						SORTS.has(sort) ? (sort as Sort) : null
					)
		});
	});
