/** A part of a rollout, as it is asked for. */
export type WaveSpec =
	| { by: 'machines'; machines: string[] }
	| { by: 'pools'; pools: string[] }
	| { by: 'teams'; teams: string[] }
	/** Up to so many in a hundred of all machines, those of earlier waves included. */
	| { by: 'share'; percent: number };

export interface WaveMachine {
	name: string;
	pool: string;
	/** Teams, and those above them, whose people were on it most. */
	teams: readonly string[];
}

/** What is wrong with waves, by number; empty when nothing is. */
export function waveProblems(specs: readonly WaveSpec[]): { wave: number; words: string }[] {
	const problems: { wave: number; words: string }[] = [];
	if (specs.length === 0) problems.push({ wave: 0, words: 'A rollout has at least one wave.' });
	let before = 0;
	specs.forEach((s, i) => {
		if (s.by !== 'share') return;
		if (!(s.percent > 0 && s.percent <= 100)) problems.push({ wave: i, words: 'A share is over 0 to 100 %.' });
		else if (s.percent <= before)
			problems.push({ wave: i, words: `This share has to be over the ${before} % of the wave before it.` });
		before = Math.max(before, s.percent);
	});
	return problems;
}

/**
 * Deals machines out to waves. A machine goes with the first wave that asks for it; a share takes as many of every pool,
 * as evenly as whole machines allow, always the same ones for the same names. What no wave asks for is left over.
 */
export function dealWaves(
	machines: readonly WaveMachine[],
	specs: readonly WaveSpec[]
): { waves: string[][]; left: string[] } {
	const open = new Map(machines.map((m) => [m.name, m]));
	const total = machines.length;
	let dealt = 0;
	const waves = specs.map((spec) => {
		const wave =
			spec.by === 'share'
				? shareOf([...open.values()], Math.max(0, Math.round((total * spec.percent) / 100) - dealt))
				: [...open.values()]
						.filter((m) =>
							spec.by === 'machines'
								? spec.machines.includes(m.name)
								: spec.by === 'pools'
									? spec.pools.includes(m.pool)
									: m.teams.some((t) => spec.teams.includes(t))
						)
						.map((m) => m.name);
		for (const name of wave) open.delete(name);
		dealt += wave.length;
		return wave.sort();
	});
	return { waves, left: [...open.keys()].sort() };
}

/** So many machines, from every pool in proportion (largest remainders), within a pool in an order that mixes the names. */
function shareOf(machines: readonly WaveMachine[], count: number): string[] {
	const pools = new Map<string, string[]>();
	for (const m of machines) {
		const list = pools.get(m.pool);
		if (list) list.push(m.name);
		else pools.set(m.pool, [m.name]);
	}
	const parts = [...pools].map(([pool, names]) => ({
		pool,
		names: names.sort(byMix),
		exact: (names.length * count) / Math.max(1, machines.length)
	}));
	let rest = count - parts.reduce((n, p) => n + Math.floor(p.exact), 0);
	const taken = new Map(parts.map((p) => [p.pool, Math.floor(p.exact)]));
	for (const p of [...parts].sort((a, b) => (b.exact % 1) - (a.exact % 1) || (a.pool < b.pool ? -1 : 1))) {
		if (rest <= 0) break;
		if (taken.get(p.pool)! < p.names.length) {
			taken.set(p.pool, taken.get(p.pool)! + 1);
			rest--;
		}
	}
	return parts.flatMap((p) => p.names.slice(0, taken.get(p.pool)));
}

/** Names in an order that has nothing to do with their numbers (FNV-1a), so that neighbours on a host are not moved together. */
const byMix = (a: string, b: string) => mix(a) - mix(b) || (a < b ? -1 : 1);
function mix(text: string): number {
	let h = 0x811c9dc5;
	for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
	return h >>> 0;
}

/** A wave in words: `10 %`, `pools Payroll close`, `2 pilot machines`. */
export function waveWords(
	spec: WaveSpec,
	names: (kind: 'pool' | 'team', id: string) => string = (_k, id) => id
): string {
	switch (spec.by) {
		case 'machines':
			return spec.machines.length === 1 ? `pilot ${spec.machines[0]!}` : `${spec.machines.length} pilot machines`;
		case 'pools':
			return spec.pools.map((p) => names('pool', p)).join(', ');
		case 'teams':
			return `machines of ${spec.teams.map((t) => names('team', t)).join(', ')}`;
		case 'share':
			return `${spec.percent} %`;
	}
}
