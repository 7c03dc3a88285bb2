import { chooseDevices, type FreeDevice } from '$lib/core/endpoints/keeping';
import type { Db } from '../db';
import { freeAt, modelsOfPeers } from '../endpoints';
import { stepOf, type StepSpec } from '../plans/kind';

/** A device that would be kept for somebody, by their login. */
export interface Promised {
	endpoint: number;
	person: string;
	name: string;
}

/** Free devices of sites at a moment, each read once; what is promised to somebody is not there for the next. */
export function freeDevices(db: Db, at: number) {
	const bySite = new Map<string, FreeDevice[]>();
	const there = (site: string): FreeDevice[] => {
		let free = bySite.get(site);
		if (!free) bySite.set(site, (free = freeAt(db, site, at)));
		return free;
	};
	return {
		count: (site: string): number => there(site).length,
		/** Which are kept for some people of a team who sit at a site: as their peers' are. Whoever finds none is not in the answer. */
		promise(site: string, team: string, logins: readonly string[]): Promised[] {
			if (logins.length === 0) return [];
			const models = modelsOfPeers(db, team, site, at);
			const chosen = chooseDevices(
				logins.map((login) => ({ login, models })),
				there(site)
			);
			const taken = new Set([...chosen.values()].map((d) => d.id));
			bySite.set(
				site,
				there(site).filter((d) => !taken.has(d.id))
			);
			return [...chosen].map(([person, d]) => ({ endpoint: d.id, person, name: d.name }));
		}
	};
}

/** What keeps devices for those whom they are promised to. */
export const keepSteps = (devices: readonly Promised[]): StepSpec[] =>
	devices.length
		? [
				stepOf(
					'endpoint.keep',
					devices.length === 1 ? 'Keep an endpoint for them' : 'Keep endpoints for them',
					{ give: devices.map(({ endpoint, person }) => ({ endpoint, person })) },
					500
				)
			]
		: [];
