import { describe, expect, test } from 'vitest';
import { judgeMachineList, readMachineList, type Surroundings } from './takeover';

const read = (text: string) => readMachineList(text);
const wrong = (text: string) => read(text).problems.map((p) => `${p.line}: ${p.words}`);

describe('a list of machines', () => {
	test('is read with its line numbers; kind and owner are optional, order and case of the heading free', () => {
		expect(read('name\nws-1\nws-2\n').lines).toEqual([
			{ line: 2, name: 'ws-1', kind: null, owner: null },
			{ line: 3, name: 'ws-2', kind: null, owner: null }
		]);
		expect(read('\uFEFFOwner, Kind ,NAME\r\nanna,Physical,ws-1\r\n\r\n,,ws-2\r\n')).toEqual({
			problems: [],
			lines: [
				{ line: 2, name: 'ws-1', kind: 'physical', owner: 'anna' },
				{ line: 4, name: 'ws-2', kind: null, owner: null }
			]
		});
		expect(read('name,owner\n"ws-1","anna"').lines).toMatchObject([{ name: 'ws-1', owner: 'anna' }]);
	});

	test.each([
		['', '1: the heading needs a column “name”; it may have kind and owner'],
		['machine\nws-1', '1: the heading needs a column “name”; it may have kind and owner'],
		['name,colour\nws-1,red', '1: there is no column called “colour”: it may have name, kind, owner'],
		['name\n', '2: there is no machine in it'],
		['name,kind\nws-1,virtual\n,virtual', '3: the name is missing'],
		['name,kind\nws-1,cloudy', '2: “cloudy” is no kind: write virtual or physical'],
		['name\nws-1\nws-2\nws-1', '4: ws-1 stands in line 2 already'],
		['name,kind\nws-1', '2: it has fewer fields than the heading'],
		['name,kind\nws-1,virtual,anna', '2: it has more fields than the heading'],
		['name\n"ws-1', '2: a quote is not closed']
	])('%j: %s', (text, problem) => {
		expect(wrong(text)).toContain(problem);
	});

	test('says all its bad lines, and keeps the good ones', () => {
		const { lines, problems } = read('name,kind\nws-1,x\nws-2,virtual\n,physical');
		expect(problems.map((p) => p.line)).toEqual([2, 4]);
		expect(lines.map((l) => l.name)).toEqual(['ws-2']);
	});
});

describe('what stands against taking machines over', () => {
	const surroundings: Surroundings = {
		site: 'quay',
		existing: new Map([
			['ws-1', { site: 'quay', kind: 'virtual', users: 'single' }],
			['ws-2', { site: 'quay', kind: 'physical', users: 'multi' }],
			['ws-3', { site: 'isle', kind: 'virtual', users: 'multi' }]
		]),
		ours: new Map([['nw-01', 'quay']]),
		people: new Set(['anna', 'bo']),
		accounts: new Map([['ws-1', 'old/desks']]),
		adopt: true,
		folder: 'desks/quay',
		personal: true,
		perMachine: 1
	};
	const judge = (csv: string, change: Partial<Surroundings> = {}) =>
		judgeMachineList(read(csv).lines, { ...surroundings, ...change }).map((p) => `${p.line}: ${p.words}`);

	test('is nothing where all is right', () => {
		expect(judge('name,kind,owner\nws-1,virtual,anna\nws-2,,bo')).toEqual([]);
	});

	test.each([
		['name\nnw-01', {}, /nw-01 is a machine of pool quay already/],
		['name\nws-9', {}, /knows no machine ws-9/],
		['name\nws-3', {}, /stands at isle, not at quay/],
		['name,kind\nws-1,physical', {}, /is a virtual machine, not a physical one/],
		['name\nws-1', { personal: false, perMachine: 4 }, /single-user system: it holds one session, not 4/],
		['name\nws-1', { adopt: false }, /an account ws-1 exists in old\/desks: adopt it, or leave/],
		['name,owner\nws-2,anna', { personal: false }, /a shared pool has no owners/],
		['name,owner\nws-2,zoe', {}, /knows nobody called zoe/],
		['name,owner\nws-1,anna\nws-2,anna', {}, /^3: anna has a machine in line 2 already/]
	] as [string, Partial<Surroundings>, RegExp][])('%j with %j', (csv, change, words) => {
		expect(judge(csv, change)).toEqual([expect.stringMatching(words)]);
	});
});
