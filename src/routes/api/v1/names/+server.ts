import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { previewNames } from '$lib/server/machines';
import { runtime } from '$lib/server/runtime';

export const GET = ({ url }) =>
	answer(async () => {
		const count = Math.min(2000, wholeIn(url, 'count', 10));
		const from = Math.min(1e9, wholeIn(url, 'from', 1));
		return json(
			await previewNames(
				runtime(),
				(url.searchParams.get('naming') ?? '').slice(0, 200),
				count,
				from,
				url.searchParams.get('adopt') || null
			)
		);
	});

/** A whole number of the query, from nothing up; what is none is what is usual. */
function wholeIn(url: URL, key: string, usual: number): number {
	const n = Number(url.searchParams.get(key) ?? usual);
	return Number.isSafeInteger(n) && n >= 0 ? n : usual;
}
