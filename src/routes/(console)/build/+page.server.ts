import { narrow } from '$lib/core/scope/scope';
import { buildsAt, nextNumber, openingOf, reportOf, sheetAt, usedLinesAt } from '$lib/server/images';
import { jobById } from '$lib/server/jobs';
import { sharedLoad } from '$lib/server/load';

export const load = sharedLoad(async ({ url, context, look, at }) => {
	const { db, clock } = context;
	const all = usedLinesAt(db, at, look.scope);
	// A line that nothing runs on stands in the list unless the scope asks for machines, people or sites.
	const lines = look.scope.terms.every((t) => t.kind === 'facet' && t.facet === 'line')
		? narrow(look.scope, all, { line: (l) => l.id }, (l) => l.name).items
		: all.filter((l) => l.machines > 0);
	const chosen = lines.find((l) => l.id === url.searchParams.get('line')) ?? lines[0] ?? null;
	const sheet = chosen ? sheetAt(db, chosen.id, at) : null;
	const builds = buildsAt(db, at, 60);
	const report = chosen && sheet ? await reportOf(context, chosen.id, sheet) : null;
	return {
		lines: lines.map((l) => ({
			...l,
			drafts: builds
				.filter((b) => b.line === l.id && b.state !== 'done' && b.state !== 'abandoned')
				.map((b) => {
					const job = jobById(db, b.jobId, clock.now());
					return { number: b.number, state: b.state, jobId: b.jobId, build: b.id, progress: job?.progress ?? 0 };
				})
		})),
		chosen: chosen?.id ?? null,
		next: chosen ? nextNumber(context, chosen.id) : null,
		opening: chosen ? openingOf(db, chosen.id, at) : null,
		report,
		builds: chosen
			? builds
					.filter((b) => b.line === chosen.id)
					.slice(0, 12)
					.map(({ sheet: own, ...b }) => ({ ...b, changed: sheet !== null && own !== JSON.stringify(sheet) }))
			: []
	};
});
