import { waveWords } from '$lib/core/images/waves';
import { poolsAt } from '$lib/server/pools';
import { teamsByName } from '$lib/server/directory';
import { rolloutsAt, usedLinesAt } from '$lib/server/images';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const { db } = runtime();
	const at = asKnown(lookOf(url, runtime()));
	const lines = usedLinesAt(db, at);
	const pools = poolsAt(db, at);
	const teams = teamsByName(db);
	const names = (kind: 'pool' | 'team', id: string) =>
		(kind === 'pool' ? pools.find((p) => p.id === id)?.name : teams.find((t) => t.id === id)?.name) ?? id;
	return {
		lines: lines.map((l) => ({
			id: l.id,
			name: l.name,
			versions: l.versions
				.filter((v) => !v.retired && !v.open)
				.map((v) => ({ number: v.number, held: v.held, machines: v.machines })),
			pools: pools.filter((p) => p.line === l.id).map((p) => ({ id: p.id, name: p.name }))
		})),
		teams,
		rollouts: rolloutsAt(db, at).map((r) => ({
			...r,
			waves: r.waves.map((w) => ({ ...w, words: waveWords(r.settings.waves[w.wave]!, names) }))
		})),
		wanted: { line: url.searchParams.get('line'), number: url.searchParams.get('number') }
	};
};
