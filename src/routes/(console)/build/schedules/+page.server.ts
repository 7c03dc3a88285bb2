import { occurrences, recurrenceWords } from '$lib/core/time/recurrence';
import { DAY } from '$lib/core/time/units';
import { homeZone } from '$lib/server/capacity';
import { linesAt } from '$lib/server/images';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';
import { runsOf, schedulesAt } from '$lib/server/schedules';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	const at = asKnown(lookOf(url, runtime()));
	return {
		homeZone: homeZone(db),
		lines: linesAt(db, at).map((l) => ({ id: l.id, name: l.name })),
		// Reports that are made by themselves stand where reports do.
		schedules: schedulesAt(db, at)
			.filter((s) => s.kind !== 'report.run')
			.map((s) => ({
				...s,
				words: recurrenceWords(s),
				next: occurrences(s, Math.max(at, s.doneTo), at + 800 * DAY, 3),
				runs: runsOf(db, s.id, 5)
			}))
	};
};
