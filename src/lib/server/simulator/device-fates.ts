import type { Estate } from '$lib/core/estate/schema';
import { addressText, rangeEnds } from '$lib/core/network/addresses';
import { DAY } from '$lib/core/time/units';
import { schedule } from './agenda';
import { deviceOf, switchOn } from './endpoints';
import { localDay } from './people';
import { hashText, uniform } from './random';
import type { Stage } from './stage';
import type { SimEndpoint, SimPerson } from './state';

type Fleet = Estate['endpoints']['fleets'][number];

/** Days on which somebody sits at a device in a year: rates a year are spread over them. */
const DAYS_OF_USE = 225;
/** A broken one is mended after one to this many days. */
const MENDED_WITHIN = 6;
/** A share of those that are lost is switched on by whoever found it, some days later. */
const FOUND = 0.5;

const isUntouched = ({ roams, breaks, lost }: Fleet): boolean => roams === 0 && breaks === 0 && lost === 0;

/**
 * What a device is like on the first time that anybody sits down at it on a day: it may have broken or been lost since, or be with them in
 * another network. Somebody whose device is gone sits at one that nobody knows.
 */
export function daysFate(lab: Stage, person: SimPerson): void {
	const e = deviceOf(lab, person);
	const fleet = e && lab.estate.endpoints.fleets.find((f) => f.id === e.fleet);
	// One that is awake is there, and may have things open from it.
	if (!fleet || isUntouched(fleet) || e.awake) return;
	const day = localDay(person, lab.world.now);
	if (e.day === day) return;
	e.day = day;
	const draw = (salt: number) => uniform(lab.seed, hashText(e.id), day, salt);
	if (draw(90) < fleet.lost / DAYS_OF_USE) {
		e.gone = 'lost';
		if (draw(93) < FOUND)
			schedule(lab.world, lab.world.now + Math.round((0.2 + 4 * draw(94)) * DAY), {
				kind: 'endpoint found',
				endpoint: e.id
			});
	} else if (draw(91) < fleet.breaks / DAYS_OF_USE) {
		e.gone = 'broken';
		schedule(lab.world, lab.world.now + Math.round((1 + (MENDED_WITHIN - 1) * draw(94)) * DAY), {
			kind: 'endpoint mended',
			endpoint: e.id
		});
	} else {
		e.address = draw(92) < fleet.roams ? elsewhere(lab, e, draw) : e.home;
		if (e.address !== null) person.address = e.address;
	}
}

/** A broken device has been mended: whoever had it sits at it again. */
export function mended(lab: Stage, id: string): void {
	const e = lab.world.endpoints.get(id);
	if (e?.gone === 'broken') e.gone = undefined;
}

/** Whoever has found a device that was lost switches it on, wherever they are: it calls in from there, and nobody is on it. */
export function found(lab: Stage, id: string): void {
	const e = lab.world.endpoints.get(id);
	if (e?.gone !== 'lost') return;
	e.address = outside(e);
	switchOn(lab, id);
}

/** An address at home or on the road, of a range kept for documents (RFC 5737). */
const outside = (e: SimEndpoint): string => `198.51.100.${1 + (hashText(e.id) % 250)}`;

/** Where a device is that was taken along: mostly at home, else at another of the sites that have a network for devices. */
function elsewhere(lab: Stage, e: SimEndpoint, draw: (salt: number) => number): string {
	const sites = lab.estate.sites.filter((s) => s.id !== e.site && s.endpoint_ranges.length > 0);
	const site = sites[Math.floor(draw(95) * sites.length)];
	if (!site || draw(96) < 0.7) return outside(e);
	const { first, last } = rangeEnds(site.endpoint_ranges.at(-1)!);
	// From the end of a range: its own devices are given from its beginning.
	return addressText(Math.max(first, last - 1 - (hashText(e.id) % Math.min(200, Math.max(1, last - first - 1)))));
}
