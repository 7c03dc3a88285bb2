import { chanceOver, expectDuration } from '$lib/core/images/duration';
import { checkSheet } from '$lib/core/images/sheet';
import { runtime } from '$lib/server/runtime';
import { asKnown, lookOf } from '$lib/server/moment';
import { buildsAt, linesAt, sheetAt, stepHistories } from '$lib/server/images/queries';
import { nextNumber } from '$lib/server/images/planner';
import { jobById } from '$lib/server/jobs';
import { narrow } from '$lib/core/scope/scope';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const context = runtime();
	const { db, clock } = context;
	const look = lookOf(url, clock);
	const at = asKnown(look);
	const all = linesAt(db, at, look.scope);
	// A line that nothing runs on stands in the list unless the scope asks for machines, people or places.
	const lines = look.scope.terms.every((t) => t.type === 'facet' && t.facet === 'line')
		? narrow(look.scope, all, { line: (l) => l.id }, (l) => l.name).items
		: all.filter((l) => l.machines > 0);
	const chosen = lines.find((l) => l.id === url.searchParams.get('line')) ?? lines[0] ?? null;
	const sheet = chosen ? sheetAt(db, chosen.id, at) : null;
	const histories = chosen && sheet ? stepHistories(db, chosen.id, sheet) : [];
	const builds = buildsAt(db, at);
	return {
		lines: lines.map((l) => ({
			...l,
			drafts: builds
				.filter((b) => b.line === l.id && b.state !== 'done')
				.map((b) => {
					const job = jobById(db, b.jobId, clock.now());
					return { number: b.number, state: b.state, jobId: b.jobId, build: b.id, progress: job?.progress ?? 0 };
				})
		})),
		chosen: chosen?.id ?? null,
		next: chosen ? nextNumber(context, chosen.id) : null,
		sheet,
		steps: sheet?.steps.map((_s, i) => ({ ...expectDuration([histories[i]!]), runs: histories[i]!.runs.length })) ?? [],
		expected: sheet ? expectDuration(histories) : null,
		over: sheet ? chanceOver(histories, sheet.limit) : 0,
		problems: sheet ? checkSheet(sheet) : [],
		builds: chosen ? builds.filter((b) => b.line === chosen.id).map(({ sheet: _sheet, ...b }) => b) : []
	};
};
