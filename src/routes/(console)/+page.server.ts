import { cellsAt, peopleBySite } from '$lib/server/watch';
import { needsAt } from '$lib/server/house/needs';
import { asKnown, lookOf } from '$lib/server/moment';
import { shared } from '$lib/server/moment/shared';
import { sitesOf } from '$lib/server/estate';
import { clockWords } from '$lib/core/time/zone';
import { packCells } from '$lib/ui/marks/cells';
import { termWords } from '$lib/core/scope/scope';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const ctx = runtime();
	const { db } = ctx;
	const look = lookOf(url, runtime());
	const at = asKnown(look);
	const { scope } = look;
	return shared(ctx, `today ${look.scopeText}`, at, () => {
		const pools = cellsAt(db, scope, at);
		const people = peopleBySite(db, scope, at);
		const sites = sitesOf(db)
			.map((s) => ({
				id: s.id,
				name: s.name,
				clock: clockWords(s.zone, at),
				people: people.get(s.id) ?? 0,
				pools: pools.filter((p) => p.site === s.id).map((p) => ({ id: p.id, name: p.name, cells: packCells(p.cells) }))
			}))
			.filter((s) => s.pools.length);
		const { needs, left } = needsAt(db, scope, at);
		return { needs, left: left.map((t) => termWords(t)), sites, narrowed: scope.terms.length > 0 };
	});
};
