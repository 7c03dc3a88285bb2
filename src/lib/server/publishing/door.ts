import { mayStart, type Door, type DoorTeam } from '$lib/core/access/decide';
import { refusalFor } from '$lib/core/packages/attaching';
import { all, type Db } from '../db';
import { deliveriesAt, packagesAt } from '../packages';
import type { PublicationRow } from '../publications';
import { isImageApp } from './serving';
import { reachedBy } from './people-using';

/** What of a publication makes its door. */
export type Doored = Pick<PublicationRow, 'name' | 'off' | 'visible' | 'app' | 'pools'>;

/** The doors of publications as they were at a moment: what they say themselves of who may open them. */
export function doorsAt(db: Db, at: number): (p: Doored) => Door {
	const names = new Map(all<DoorTeam>(db, 'SELECT id, name FROM teams').map((t) => [t.id, t.name]));
	const teams = (ids: readonly string[]): DoorTeam[] => ids.map((id) => ({ id, name: names.get(id) ?? id }));
	let known: { packages: ReturnType<typeof packagesAt>; deliveries: ReturnType<typeof deliveriesAt> } | null = null;
	/** Of the versions that its pools have: somebody may start it where one of them lets them; the newest where none is delivered. */
	const starters = (p: Doored): Pick<Door, 'starters' | 'refusal'> => {
		if (!p.app || isImageApp(p.app)) return {};
		known ??= { packages: packagesAt(db, at), deliveries: deliveriesAt(db, at) };
		const versions = known.packages.find((x) => x.name === p.app!.package)?.versions ?? [];
		const numbers = known.deliveries
			.filter((d) => d.package === p.app!.package && p.pools.includes(d.pool))
			.map((d) => d.version);
		const delivered = versions.filter((v) => numbers.includes(v.number));
		const specs = (delivered.length ? delivered : versions.slice(-1)).map((v) => v.spec);
		if (specs.length === 0 || specs.some((s) => s.teams.length === 0)) return {};
		return {
			starters: teams([...new Set(specs.flatMap((s) => s.teams))]),
			refusal: refusalFor(p.name, specs.at(-1)!.refusal)
		};
	};
	return (p) => ({
		...(p.off ? { off: true } : {}),
		...(p.visible.length ? { visible: teams(p.visible) } : {}),
		...starters(p)
	});
}

/** Names by login of those who can open a publication as far as its grants and its door go, at whatever hour and from wherever. */
export function openTo(db: Db, p: Doored & Pick<PublicationRow, 'id'>, at: number): Map<string, string> {
	const door = doorsAt(db, at)(p);
	if (door.off) return new Map();
	return new Map(
		[...reachedBy(db, p, at).values()]
			.filter((r) => mayStart(door, r.teams))
			.map((r) => [r.person.login, r.person.name])
	);
}
