import { json } from '@sveltejs/kit';
import { answer } from '$lib/server/api/problems';
import { previewNames } from '$lib/server/publishing/planner';
import { runtime } from '$lib/server/runtime';

export const GET = ({ url }) =>
	answer(async () => {
		const count = Math.min(2000, Math.max(0, Number(url.searchParams.get('count') ?? 10) || 0));
		const from = Math.max(0, Number(url.searchParams.get('from') ?? 1) || 0);
		return json(
			await previewNames(
				runtime(),
				url.searchParams.get('naming') ?? '',
				count,
				from,
				url.searchParams.get('adopt') || null
			)
		);
	});
