/** A device that nobody who is here uses, and that is kept for nobody. */
export interface FreeDevice {
	id: number;
	name: string;
	model: string;
	/** Since when nobody has been on it, ms UTC. */
	since: number;
}

/** Somebody who is to have a device: of the models that their peers sit at, the most used first. */
export interface WantsDevice {
	login: string;
	models: readonly string[];
}

/**
 * Which free device is kept for whom: what most of their peers sit at, else the next most used, else any; of those alike the one that
 * has been free longest. People are served in their order; whoever finds none is not in the answer.
 */
export function chooseDevices(people: readonly WantsDevice[], free: readonly FreeDevice[]): Map<string, FreeDevice> {
	const left = [...free].sort(
		(a, b) => a.since - b.since || (a.name < b.name ? -1 : a.name > b.name ? 1 : a.id - b.id)
	);
	const given = new Map<string, FreeDevice>();
	for (const { login, models } of people) {
		if (given.has(login)) continue;
		const rank = (d: FreeDevice) => {
			const at = models.indexOf(d.model);
			return at < 0 ? models.length : at;
		};
		let best = -1;
		left.forEach((d, i) => {
			if (best < 0 || rank(d) < rank(left[best]!)) best = i;
		});
		if (best < 0) break;
		given.set(login, left.splice(best, 1)[0]!);
	}
	return given;
}
