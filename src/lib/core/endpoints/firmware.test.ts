import { describe, expect, test } from 'vitest';
import { HOUR, MB, MINUTE } from '../time/units';
import { sendTime, standsToFirmware, wishesFor, type FirmwareDevice, type FirmwareWish } from './firmware';
import { Tree } from './rules';

const wish = (other: Partial<FirmwareWish> = {}): FirmwareWish => ({
	branch: 'all',
	model: 'Tern 5',
	version: '4.2.0',
	bytes: 240 * MB,
	thin: false,
	...other
});
const device = (other: Partial<FirmwareDevice> = {}): FirmwareDevice => ({
	firmware: '4.1.9',
	state: 'awake',
	inUse: false,
	battery: false,
	certified: true,
	mbit: null,
	taking: 0,
	told: null,
	...other
});
const now = Date.UTC(2026, 10, 17, 12);
const stands = (other: Partial<FirmwareDevice>, w = wish()) => {
	const { standing, why } = standsToFirmware(device(other), w, now);
	return `${standing}: ${why.words}`;
};

describe('which firmware is wished for a device', () => {
	const tree = new Tree([
		{ id: 'all', name: 'All', parent: null, site: null },
		{ id: 'offices', name: 'Offices', parent: 'all', site: null },
		{ id: 'bergen', name: 'Bergen', parent: 'offices', site: 'bergen' }
	]);
	test('is what is said nearest above it, for its model', () => {
		const of = wishesFor(tree, [wish(), wish({ branch: 'offices', version: '4.3.0' }), wish({ model: 'Gull 3' })]);
		expect(of('bergen', 'Tern 5')?.version).toBe('4.3.0');
		expect(of('all', 'Tern 5')?.version).toBe('4.2.0');
		expect(of('bergen', 'Gull 3')?.branch).toBe('all');
		expect(of('bergen', 'Tern 7')).toBeNull();
		expect(of(null, 'Tern 5')).toBeNull();
	});
});

describe('whether it takes it now', () => {
	test('it does where nothing keeps it from it; one that has it has it, however that is written', () => {
		expect(stands({})).toBe('may take it: nothing keeps it from it');
		expect(stands({ firmware: '4.2.0' })).toBe('has it: it has 4.2.0');
		expect(stands({ firmware: '4.2' })).toBe('has it: it has 4.2.0');
		expect(stands({ firmware: '4.10.0' })).toMatch(/^may take it/);
		expect(stands({ firmware: 'unknown' })).toMatch(/^may take it/);
	});
	test.each<[Partial<FirmwareDevice>, string]>([
		[{ state: 'asleep' }, 'waits: it sleeps'],
		[{ certified: false }, 'waits: it has no certificate that is good'],
		[{ inUse: true }, 'waits: somebody is on it'],
		[{ battery: true }, 'waits: it runs on battery'],
		[{ taking: 8 }, 'waits: 8 others of its site take it first']
	])('it waits where something does: %j', (other, words) => {
		expect(stands(other)).toBe(words);
	});
	test('over a thin link only where somebody says so', () => {
		// 240 MB over 1 Mbit/s: 1,920 s.
		expect(sendTime(240 * MB, 1)).toBe(32 * MINUTE);
		expect(stands({ mbit: 1 })).toBe('waits: the link is thin: it would take 32 min');
		expect(stands({ mbit: 1 }, wish({ thin: true }))).toMatch(/^may take it/);
		expect(stands({ mbit: 100 })).toMatch(/^may take it/);
	});
	test('once told it takes it; one that failed, or never called in with it, is told again after an hour', () => {
		const told = (ago: number, words = '') => ({ told: { at: now - ago, version: '4.2.0', words } });
		expect(stands(told(5 * MINUTE))).toBe('takes it: told 5 min ago');
		expect(stands(told(2.5 * HOUR))).toMatch(/^waits: it has not called in with it within 2 h/);
		expect(stands(told(3.1 * HOUR))).toMatch(/^may take it/);
		expect(stands(told(5 * MINUTE, 'it refused'))).toBe('waits: it refused; it is told again after an hour');
		expect(stands(told(61 * MINUTE, 'it refused'))).toMatch(/^may take it/);
		// What was told was of another version.
		expect(stands({ told: { at: now, version: '4.1.9', words: '' } })).toMatch(/^may take it/);
	});
});
