import { handChangesOf, linesTyped, openingOf, openingsAt, usedLinesAt } from '$lib/server/images';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	const at = asKnown(lookOf(url, runtime()));
	const lines = usedLinesAt(db, at);
	const openings = openingsAt(db, at);
	const wanted = url.searchParams.get('line');
	const chosen =
		lines.find((l) => l.id === wanted) ?? lines.find((l) => openings.some((o) => o.line === l.id)) ?? lines[0] ?? null;
	const opening = chosen ? openingOf(db, chosen.id, at) : null;
	return {
		lines: lines.map((l) => ({ id: l.id, name: l.name, open: openings.find((o) => o.line === l.id) ?? null })),
		chosen: chosen?.id ?? null,
		versions:
			chosen?.versions
				.filter((v) => !v.retired)
				.map((v) => ({ number: v.number, held: v.held, machines: v.machines })) ?? [],
		opening,
		typed: opening ? linesTyped(db, opening.id) : [],
		past: chosen ? handChangesOf(db, chosen.id, at) : []
	};
};
