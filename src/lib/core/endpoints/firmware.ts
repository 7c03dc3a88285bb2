import type { Fact } from '../why/explained';
import { durationWords, HOUR, MINUTE } from '../time/units';
import { compareFirmware } from './condition';
import type { Tree } from './rules';

/** Firmware that devices of a model are to have which stand in a branch, or below it. */
export interface FirmwareWish {
	branch: string;
	model: string;
	version: string;
	/** Bytes of it. */
	bytes: number;
	/** Whether it goes over thin links as well. */
	thin: boolean;
}

/** Over a link that takes longer than this for one device it is not sent unless somebody says so, ms. */
const THIN = 30 * MINUTE;
/** Devices of a site that take it side by side. */
export const SIDE_BY_SIDE = 8;
/** One that has not called in with it after this long has failed, ms; it is told again after an hour. */
export const CALLS_WITHIN = 2 * HOUR;
const AGAIN = HOUR;

const keyOf = (branch: string, model: string): string => JSON.stringify([branch, model]);

/** Wishes by what they are for: what is said nearest above a device counts. */
export function wishesFor(
	tree: Tree,
	wishes: readonly FirmwareWish[]
): (branch: string | null, model: string) => FirmwareWish | null {
	const by = new Map(wishes.map((w) => [keyOf(w.branch, w.model), w]));
	return (branch, model) => {
		if (branch === null || by.size === 0) return null;
		for (const b of tree.above(branch)) {
			const wish = by.get(keyOf(b.id, model));
			if (wish) return wish;
		}
		return null;
	};
}

/** Ms that so many bytes take over a link of so many Mbit/s. */
export const sendTime = (bytes: number, mbit: number): number => (bytes * 8) / (mbit * 1000);

/** A device for which something is wished, as far as taking it goes. */
export interface FirmwareDevice {
	firmware: string;
	state: 'awake' | 'asleep';
	/** Somebody is on it. */
	inUse: boolean;
	battery: boolean;
	/** It has a certificate that is good. */
	certified: boolean;
	/** Mbit/s of the best link of its site; null where it has none: it is beside what sends it. */
	mbit: number | null;
	/** Others of its site that are taking theirs. */
	taking: number;
	/** When it was told last, ms UTC, which version, and what came of it: empty while it has not called in since. */
	told: { at: number; version: string; words: string } | null;
}

export type FirmwareStanding = 'has it' | 'takes it' | 'may take it' | 'waits';

/**
 * How a device stands to what is wished for it at a moment, and why: it takes it while it is awake, on mains, and nobody is on it, as long as not too many
 * of its site do, and not over a link where it would take half an hour and more.
 */
export function standsToFirmware(
	d: FirmwareDevice,
	wish: FirmwareWish,
	now: number
): { standing: FirmwareStanding; why: Fact } {
	const waits = (words: string, source = 'endpoints') => ({
		standing: 'waits' as const,
		why: { words, side: 'against' as const, source }
	});
	if (compareFirmware(d.firmware, wish.version) === 0)
		return { standing: 'has it', why: { words: `it has ${wish.version}`, side: 'for', source: 'endpoints' } };
	const { told } = d;
	if (told?.version === wish.version) {
		if (told.words === '' && now - told.at < CALLS_WITHIN)
			return { standing: 'takes it', why: { words: `told ${durationWords(now - told.at)} ago`, source: 'endpoints' } };
		if (now - told.at < (told.words === '' ? CALLS_WITHIN : 0) + AGAIN)
			return waits(
				told.words === ''
					? `it has not called in with it within ${durationWords(CALLS_WITHIN)}; it is told again after an hour`
					: `${told.words}; it is told again after an hour`
			);
	}
	if (d.state === 'asleep') return waits('it sleeps');
	if (!d.certified) return waits('it has no certificate that is good');
	if (d.inUse) return waits('somebody is on it');
	if (d.battery) return waits('it runs on battery');
	const ms = d.mbit === null ? 0 : sendTime(wish.bytes, d.mbit);
	if (ms > THIN && !wish.thin) return waits(`the link is thin: it would take ${durationWords(ms)}`, 'links');
	if (d.taking >= SIDE_BY_SIDE) return waits(`${d.taking} others of its site take it first`);
	return { standing: 'may take it', why: { words: 'nothing keeps it from it', side: 'for', source: 'endpoints' } };
}
