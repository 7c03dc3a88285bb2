import type { Estate } from '$lib/core/estate/schema';
import { addressText, rangeEnds } from '$lib/core/network/addresses';
import { parsePattern } from '$lib/core/pools/naming';
import { MINUTE } from '$lib/core/time/units';
import { schedule } from './agenda';
import { keyPrint } from './device-keys';
import type { SimEndpoint, SimPerson, World } from './state';

/** An address of the range that is anybody's own to give. */
const hardwareOf = (n: number): string =>
	['52', '54', '00', ...[n >> 16, n >> 8, n].map((b) => (b & 255).toString(16).padStart(2, '0'))].join(':');

/** Where a site's devices have their addresses. */
function addressesOf(estate: Estate, site: string): (n: number) => string | null {
	const ranges = (estate.sites.find((s) => s.id === site)?.endpoint_ranges ?? []).map(rangeEnds);
	return (n) => {
		let left = n;
		for (const r of ranges) {
			// The first few of a range are those of what joins it up.
			const size = r.last - r.first + 1 - 10;
			if (left < size) return addressText(r.first + 10 + left);
			left -= size;
		}
		return null;
	};
}

/** A device is somebody's from now on, whether or not they are here yet, or nobody's. */
export function handTo(w: World, endpoint: string, login: string | null): void {
	const e = w.endpoints.get(endpoint);
	if (!e) return;
	for (const user of e.users) {
		const before = w.people.get(user);
		if (user !== login && before?.endpoint === endpoint) before.endpoint = undefined;
	}
	e.users = login === null ? [] : [login];
	const person = login === null ? undefined : w.people.get(login);
	if (person) takes(w, person, e);
}

/** Somebody has a device from now on, and no other. */
function takes(w: World, person: SimPerson, e: SimEndpoint): void {
	const before = person.endpoint === undefined ? undefined : w.endpoints.get(person.endpoint);
	if (before && before !== e) before.users = before.users.filter((u) => u !== person.login);
	person.endpoint = e.id;
	if (e.address !== null) person.address = e.address;
}

/** What was kept for somebody who comes. */
export function takeKept(w: World, person: SimPerson): void {
	for (const e of w.endpoints.values()) if (e.users.includes(person.login)) return takes(w, person, e);
}

/** The devices of an estate, each with those who sit at it. */
export function makeEndpoints(w: World, estate: Estate): void {
	const given = new Set<string>();
	const standing = new Map<string, number>();
	let number = 1000;
	let made = 1000;
	for (const fleet of estate.endpoints.fleets) {
		const pattern = parsePattern(fleet.naming);
		if ('problem' in pattern) continue;
		const place = addressesOf(estate, fleet.site);
		const people = [...w.people.values()].filter(
			(p) =>
				p.site === fleet.site &&
				p.managed &&
				!given.has(p.login) &&
				(fleet.teams === undefined || fleet.teams.some((t) => p.teams.includes(t)))
		);
		const first = fleet.first ?? number + 1;
		const count = Math.min(fleet.most ?? Infinity, Math.ceil(people.length / fleet.each));
		for (let i = 0; i < count + fleet.spare + fleet.clones; i++) {
			const spare = i >= count;
			const copy = i >= count + fleet.spare ? i - count - fleet.spare + 1 : 0;
			const users = spare ? [] : people.slice(i * fleet.each, (i + 1) * fleet.each).map((p) => p.login);
			const nth = standing.get(fleet.site) ?? 0;
			standing.set(fleet.site, nth + 1);
			// A copy has the number of the first.
			const serial = `${fleet.serials}${copy ? first : first + i}`;
			if (!copy) made++;
			const id = copy ? `${serial}/${copy}` : serial;
			const endpoint: SimEndpoint = {
				id,
				serial,
				name: `${pattern.prefix}${String(i + 1).padStart(pattern.width, '0')}${pattern.suffix}`,
				kind: fleet.kind,
				model: fleet.model,
				hardware: hardwareOf(made + copy * 4096),
				firmware: fleet.firmware,
				key: keyPrint(id),
				site: fleet.site,
				address: place(nth),
				fleet: fleet.id,
				home: place(nth),
				users,
				awake: false,
				found: false,
				turn: 0,
				on: undefined,
				gone: undefined,
				certificate: undefined,
				day: undefined,
				battery: undefined,
				shown: undefined
			};
			w.endpoints.set(endpoint.id, endpoint);
			// A copy turns up on the day that the lab opens.
			const starts = copy
				? estate.lab.opens - copy * 9 * MINUTE
				: spare && fleet.spare_on !== undefined
					? fleet.spare_on + (i - count) * 3 * MINUTE
					: null;
			if (starts !== null) schedule(w, starts, { kind: 'endpoint starts', endpoint: endpoint.id });
			for (const login of users) {
				given.add(login);
				const person = w.people.get(login)!;
				person.endpoint = endpoint.id;
				if (endpoint.address !== null) person.address = endpoint.address;
			}
		}
		if (fleet.first === undefined) number += count + fleet.spare;
	}
}
