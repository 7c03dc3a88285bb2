import { beforeEach, describe, expect, test } from 'vitest';
import type { ParamValues } from '$lib/core/images/library/params';
import { DAY } from '$lib/core/time/units';
import { testEstate } from '../testing/harness';
import {
	assemble,
	buildStep,
	chunksOf,
	keepVersion,
	packedOf,
	patchDays,
	receive,
	referenceContents,
	tryOut,
	typeCommand
} from './images';
import { makeWorld } from './genesis';
import type { World } from './state';

const estate = testEstate();
let w: World;
beforeEach(() => {
	w = makeWorld(estate);
});
const step = (kind: string, p: ParamValues = {}) => buildStep(estate, w, 'desk', { kind, with: p });
const inside = () => w.images.builders.get('desk')!.contents.map((c) => `${c.name} ${c.version}`);
const begin = () => step('source', { from: 'stock', system: 'meridian-server-24' });

describe('a builder in the lab', () => {
	test('begins with its source, whichever it is', () => {
		expect(begin()).toEqual({ exitCode: 0, log: ['Meridian Server 24.10 is in place'] });
		step('source', { from: 'version', line: 'desk', number: '1.1.0' });
		expect(inside()).toEqual(['Meridian Server 24.10', 'Paperlane 13.0']);
		const machine = [...w.machines.values()].find((m) => m.line === 'desk')!;
		step('source', { from: 'machine', machine: machine.name });
		expect(inside()).toEqual(['Meridian Server 24.9']);
	});

	test.each([
		[{ from: 'stock', system: 'moon' }, /no stock system is called moon/],
		[{ from: 'version', line: 'desk', number: '9.0.0' }, /has no desk 9\.0\.0/],
		[{ from: 'machine', machine: 'moon' }, /knows no machine moon/]
	] as [ParamValues, RegExp][])('a source %j that is not there is refused', (p, words) => {
		expect(() => step('source', p)).toThrow(words);
		expect(() => step('updates')).toThrow(/builder machine is gone/);
	});

	test('takes programs from the store, the version asked for or the newest, and says which there is not', () => {
		begin();
		expect(step('package', { package: 'Paperlane' }).log).toContain('fetched Paperlane 13.1, SHA-256 agrees');
		expect(step('agent', { version: 'newest' }).exitCode).toBe(0);
		expect(inside()).toEqual(['Meridian Server 24.10', 'Paperlane 13.1', 'desktop agent 9.2']);
		const wrong = step('package', { package: 'Paperlane', version: '99.0' });
		expect(wrong).toMatchObject({
			exitCode: 2,
			log: ['the package store has no Paperlane 99.0', 'ended with exit code 2']
		});
		expect(inside()).toContain('Paperlane 13.1');
	});

	test('takes programs out, and says when they were not there', () => {
		begin();
		step('package', { package: 'Crewbook' });
		expect(step('remove', { program: 'Crewbook' }).log).toContain('Crewbook taken out');
		expect(step('remove', { program: 'Crewbook' }).log).toContain('Crewbook was not there');
		expect(inside()).toEqual(['Meridian Server 24.10']);
	});

	test('finds updates only once the update service has some', () => {
		begin();
		w.now = Date.UTC(2026, 10, 5);
		expect(step('updates').log).toContain('looked for updates: none outstanding');
		w.now = Date.UTC(2027, 1, 20);
		expect(step('updates').log[0]).toMatch(/Meridian Server brought to 24\.1[1-9]/);
		expect(step('updates').log).toContain('looked for updates: none outstanding');
	});

	test('ends a script with the code that it says, and tests for what is there', () => {
		begin();
		expect(step('script', { text: 'echo hello\nexit 3' }).exitCode).toBe(3);
		expect(step('script', { text: 'exit /b 3010' }).exitCode).toBe(3010);
		expect(step('script', { text: 'echo exit 3 times' }).exitCode).toBe(0);
		step('copy', { to: 'D:\\Tides' });
		expect(step('test', { what: 'file', name: 'D:\\Tides\\table.csv' }).exitCode).toBe(0);
		expect(step('test', { what: 'file', name: 'D:\\Moon' }).exitCode).toBe(1);
		expect(step('test', { what: 'service', name: 'desktop agent' }).exitCode).toBe(1);
		step('agent', { version: 'newest' });
		expect(step('test', { what: 'service', name: 'desktop agent' }).exitCode).toBe(0);
		expect(step('test', { what: 'port', name: '443' }).exitCode).toBe(0);
		expect(step('test', { what: 'port', name: '0' }).exitCode).toBe(1);
	});

	test('makes the system smaller by tweaks, and larger by language packs', () => {
		begin();
		const size = () => w.images.builders.get('desk')!.contents.reduce((n, c) => n + c.size, 0);
		const before = size();
		step('trim', { tweaks: 'safe' });
		expect(size()).toBeLessThan(before);
		const trimmed = size();
		step('language', { packs: ['nb-NO', 'en-GB'] });
		expect(size() - trimmed).toBe(1_700_000_000);
		expect(inside().at(-1)).toMatch(/language packs nb-NO, en-GB/);
	});

	test('is stopped by a right that its account has lost, with the right in words', () => {
		begin();
		w.images.missing.add('packages');
		expect(() => step('package', { package: 'Paperlane' })).toThrow(
			'the builder’s account may not read from the package store'
		);
	});
});

describe('the update service', () => {
	test('has something new on the second Tuesday of a month, at five in the afternoon', () => {
		const second = Date.UTC(2026, 11, 8, 17);
		expect(patchDays(second - DAY, second - 1)).toBe(0);
		expect(patchDays(second - 1, second)).toBe(1);
		expect(patchDays(second, second + DAY)).toBe(0);
		expect(patchDays(Date.UTC(2026, 0, 1), Date.UTC(2027, 0, 1))).toBe(12);
		// September 2026 begins on a Tuesday: its second is the 8th.
		expect(patchDays(Date.UTC(2026, 8, 1), Date.UTC(2026, 8, 8, 16))).toBe(0);
		expect(patchDays(Date.UTC(2026, 8, 1), Date.UTC(2026, 8, 8, 17))).toBe(1);
	});
});

describe('a reference machine', () => {
	const type = (text: string) => typeCommand(estate, w, 'desk', text);
	beforeEach(() => {
		w.images.references.set('desk', {
			from: '1.1.0',
			contents: w.images.kept.get('desk/1.1.0')!.contents,
			settings: {},
			restart: false
		});
	});

	test('answers what is typed', () => {
		expect(type('programs')).toEqual(['Meridian Server 24.10', 'Paperlane 13.0']);
		expect(type('install Paperlane 13.1')).toContain('Paperlane 13.1 installed');
		expect(type('install profile disk client')).toContain('profile disk client 3.4 installed');
		expect(type('install Moonbook')).toEqual(['the package store has no Moonbook']);
		expect(type('install')).toEqual(['the package store has no program without a name']);
		expect(type('remove Paperlane')).toEqual(['Paperlane taken out']);
		expect(type('remove Paperlane')).toEqual(['Paperlane is not installed']);
		expect(type('settings')).toEqual(['nothing has been set here']);
		expect(type('set idle 30 min')).toEqual(['idle = 30 min']);
		expect(type('set idle')).toEqual(['write: set KEY VALUE']);
		expect(type('settings')).toEqual(['idle = 30 min']);
		expect(type('  ')).toEqual([]);
		expect(type('fly')).toEqual(['there is no fly; help lists what there is']);
		expect(type('help').length).toBeGreaterThan(5);
		expect(() => typeCommand(estate, w, 'other', 'help')).toThrow(/of other is not open/);
	});

	test('is sealed only after a restart that updates wait for; settings by hand are a part of their own', () => {
		w.now = Date.UTC(2027, 1, 20);
		expect(type('update').at(-1)).toBe('restart to finish');
		expect(() => referenceContents(w, 'desk')).toThrow(/wait for a restart/);
		expect(type('restart')).toEqual(['restarted']);
		expect(type('update')).toEqual(['no update outstanding']);
		const plain = referenceContents(w, 'desk');
		type('set idle 30');
		const set = referenceContents(w, 'desk');
		expect(set.slice(0, -1)).toEqual(plain);
		expect(set.at(-1)).toMatchObject({ name: 'settings by hand', size: 40_000 });
		type('set idle 31');
		expect(referenceContents(w, 'desk').at(-1)!.version).not.toBe(set.at(-1)!.version);
		expect(() => referenceContents(w, 'other')).toThrow(/not open/);
	});
});

describe('content chunks', () => {
	const component = { name: 'Paperlane', version: '13.0', size: 400_000_007 };

	test('add up to the part that they are pieces of, and are the same every time', () => {
		const chunks = chunksOf([component]);
		expect(chunks.reduce((n, c) => n + c.size, 0)).toBe(component.size);
		expect(chunksOf([component])).toEqual(chunks);
		expect(new Set(chunks.map((c) => c.digest)).size).toBe(chunks.length);
		expect(chunks.every((c) => c.packed > 0 && c.packed < c.size && c.part === 'Paperlane 13.0')).toBe(true);
	});

	test('are mostly shared with the next version, and not at all with another part', () => {
		const digests = (c: typeof component) => new Set(chunksOf([c]).map((x) => x.digest));
		const [old, next, other] = [
			digests(component),
			digests({ ...component, version: '13.1' }),
			digests({ ...component, name: 'Crewbook' })
		];
		const shared = [...old].filter((d) => next.has(d)).length / old.size;
		expect(shared).toBeGreaterThan(0.5);
		expect(shared).toBeLessThan(1);
		expect([...old].filter((d) => other.has(d))).toEqual([]);
	});

	test('arrive one by one, and make a version once all are there', () => {
		keepVersion(estate, w, 'desk', '2.0.0', [component]);
		expect(w.images.stores.get('quay')!.whole.has('desk/2.0.0')).toBe(true);
		const chunks = chunksOf([component]);
		const isle = w.images.stores.get('isle')!;
		expect(() => assemble(w, 'desk', '2.0.0', 'isle')).toThrow(
			`${chunks.length} chunks of desk 2.0.0 are not at isle yet`
		);
		receive(
			w,
			'quay',
			'isle',
			chunks.slice(1).map((c) => c.digest)
		);
		expect(() => assemble(w, 'desk', '2.0.0', 'isle')).toThrow(/^1 chunks/);
		receive(w, 'quay', 'isle', [chunks[0]!.digest]);
		assemble(w, 'desk', '2.0.0', 'isle');
		expect(isle.whole.has('desk/2.0.0')).toBe(true);
		expect(isle.loose.size).toBe(0);
	});

	test('that a site does not have cannot be sent from there, and nothing is put together from nothing', () => {
		expect(() => receive(w, 'isle', 'quay', ['00'])).toThrow(/at isle does not have chunk 00/);
		expect(() => receive(w, 'quay', 'moon', [])).toThrow(/no image store at moon/);
		expect(() => assemble(w, 'desk', '9.9.9', 'isle')).toThrow(/no desk 9\.9\.9/);
		expect(() => packedOf(w, '00')).toThrow(/no such chunk/);
	});
});

describe('a trial', () => {
	test('passes with an agent and a profile disk client, and names what is missing', () => {
		begin();
		const keep = (number: string) => keepVersion(estate, w, 'desk', number, w.images.builders.get('desk')!.contents);
		keep('3.0.0');
		const bare = tryOut(estate, w, 'desk', '3.0.0');
		expect(bare.checks.filter((c) => !c.ok).map((c) => c.saw)).toEqual([
			'no desktop agent is installed',
			'no profile disk client is installed'
		]);
		step('agent', { version: 'newest' });
		step('profile client', { version: 'newest' });
		keep('3.1.0');
		const right = tryOut(estate, w, 'desk', '3.1.0');
		expect(right.checks.every((c) => c.ok)).toBe(true);
		expect(right.boot).toBeGreaterThan(0);
		expect(() => tryOut(estate, w, 'desk', '9.0.0')).toThrow(/has no desk 9\.0\.0/);
	});
});
