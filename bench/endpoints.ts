import ipaddr from 'ipaddr.js';
import semver from 'semver';
import { fullVersion, readCondition, type Condition, type Device } from '$lib/core/endpoints/condition';
import {
	compareRules,
	neverDecide,
	runThrough,
	Tree,
	type EnrolmentRule,
	type Starts
} from '$lib/core/endpoints/rules';
import { addressText } from '$lib/core/network/addresses';
import { EVERYTHING } from '$lib/core/scope/scope';
import { DAY, FOREVER } from '$lib/core/time/units';
import { all, one, run } from '$lib/server/db';
import { openAt } from '$lib/server/db/intervals';
import { endpointById, endpoints, endpointsView } from '$lib/server/endpoints';
import { wakersAt } from '$lib/server/endpoints/queries';
import { takeEndpoint } from '$lib/server/endpoints/learning';
import { uniform } from '$lib/server/simulator/random';
import { machinesPage } from '$lib/server/watch';
import { settled } from './settled';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

const DEVICES = 20_000;
const RULES = 200;
/** Starts of thirty days, of each device from two places. */
const TIMES = 11;

interface Asked {
	device: Device;
	address: ipaddr.IPv4 | ipaddr.IPv6;
}

/** A condition as somebody would put it together from libraries who only counts what each rule fits. */
function byLibraries(c: Condition): (asked: Asked) => boolean {
	switch (c.is) {
		case 'any':
			return () => true;
		case 'all':
		case 'some': {
			const of = c.of.map(byLibraries);
			return c.is === 'all' ? (a) => of.every((x) => x(a)) : (a) => of.some((x) => x(a));
		}
		case 'not': {
			const of = byLibraries(c.of);
			return (a) => !of(a);
		}
		case 'address': {
			const [network, bits] = ipaddr.parseCIDR(c.range);
			return ({ address }) => address.kind() === network.kind() && address.match(network, bits);
		}
		case 'like': {
			const pattern = new RegExp(`^${c.pattern.replace(/\*/g, '.*').replace(/\?/g, '.')}$`, 'i');
			return ({ device }) => pattern.test(device[c.of]);
		}
		case 'equals': {
			const { of, value } = c;
			return ({ device }) => (of === 'team' ? device.teams.includes(value) : device[of] === value);
		}
		case 'firmware': {
			const version = fullVersion(c.version)!;
			const compare = { '>=': semver.gte, '>': semver.gt, '<=': semver.lte, '<': semver.lt, '=': semver.eq }[c.compare];
			return ({ device }) => compare(device.firmware, version);
		}
	}
}

/** Devices that call in within a minute after a power cut, and how many of them come while one round of what is observed is taken in. */
const CALLS = 5000;
const ROUND = 25;

/** Rules over what devices are and where they call from. */
const RANGES = Array.from({ length: RULES }, (_v, i) => `10.${i}.0.0/${16 + (i % 8)}`);
const CONDITIONS = RANGES.map(
	(range, i) =>
		[
			`address in ${range}`,
			`address in ${range} and model ~ Tern*`,
			`address in ${range} and not (firmware < 4.${i % 5} or name ~ *-x${i}*)`,
			`address in ${range} or (site is s${i % 7} and team is t${i % 11} and serial ~ K${i}*)`
		][i % 4]!
);

/** A power cut: twenty thousand devices are known, a quarter of them starts at once. And their list, against that of as many machines. */
function powerCut(report: Report, median: Median): void {
	const { db, now } = settled(2000, DEVICES);
	run(db, 'INSERT INTO branches(id, since, until, name, parent_id, site_id) VALUES (?, ?, ?, ?, NULL, NULL)', [
		'all',
		0,
		FOREVER,
		'All'
	]);
	CONDITIONS.forEach((condition, i) =>
		openAt(
			db,
			'enrolment_rules',
			{
				id: i + 1,
				position: i,
				name: `rule ${i}`,
				// Whatever no other takes, this one does: all of them are placed.
				condition: i === RULES - 1 ? 'any device' : condition,
				into_id: 'all',
				by_site: 0,
				whom: 'all',
				often: 'start',
				deeper: 'stay'
			},
			0
		)
	);
	const people = all<{ id: number; login: string }>(db, 'SELECT id, login FROM people');
	const ids = new Map(people.map((p) => [p.login, p.id]));
	const known = { machine: () => undefined, person: (login: string) => ids.get(login) };
	let seq = 0;
	const start = (i: number, at: number) =>
		takeEndpoint(
			db,
			{
				kind: 'endpoint',
				battery: false,
				seq: ++seq,
				at,
				serial: `K${i}`,
				name: `box-${i}`,
				device: 'desk box',
				model: 'Tern 7',
				hardware: '',
				firmware: '4.2.0',
				key: String(i),
				address: addressText((10 << 24) + i * 641),
				person: people[i % people.length]!.login,
				event: 'started'
			},
			known
		);
	db.transaction(() => Array.from({ length: DEVICES }, (_v, i) => start(i, now))).immediate();
	const rounds = Array.from({ length: CALLS / ROUND }, (_v, n) => {
		const began = performance.now();
		db.transaction(() => Array.from({ length: ROUND }, (_w, i) => start(n * ROUND + i, now + DAY))).immediate();
		return performance.now() - began;
	});
	rounds.sort((a, b) => a - b);
	const placed = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM endpoint_spots WHERE until = ${FOREVER} AND branch_id IS NOT NULL`
	)!.n;
	const total = rounds.reduce((n, r) => n + r, 0) / 1000;
	report(
		'5,000 devices call in at once, 200 rules: all placed',
		total,
		's',
		'under 60',
		total < 60 && placed === DEVICES
	);
	const slow = rounds[Math.floor(0.99 * rounds.length)]!;
	report('what comes of it for those of one round, 99 of 100', slow, 'ms', 'under 250', slow < 250);
	const ask = { at: now + DAY, scope: EVERYTHING, sort: 'name', descending: false, limit: 100, offset: 5000 };
	const own = median(() => endpoints.page(db, ask));
	const machines = median(() => machinesPage(db, ask));
	report(
		'list of 20,000 endpoints as it was, against that of machines',
		own / machines,
		'×',
		'under 2',
		own < 2 * machines
	);
	const view = median(() => endpointsView(db, EVERYTHING, now + DAY), 3);
	report('the view of 20,000 endpoints, whose rules are worked out', view, 'ms', 'under 250', view < 250);
	const some = all<{ id: number }>(
		db,
		`SELECT endpoint_id AS id FROM endpoint_facts WHERE until = ${FOREVER} LIMIT 500`
	);
	run(db, `UPDATE endpoint_states SET state = 'asleep' WHERE endpoint_id % 2`);
	const waker = median(() => {
		const of = wakersAt(db, now + DAY);
		return some.map(({ id }) => of(endpointById(db, id, now + DAY)!));
	}, 3);
	report('who wakes 500 of them', waker, 'ms', 'under 500', waker < 500);
	db.close();
}

/** Enrolment rules tried on what was, against the same conditions put together from libraries. */
export function endpointsBench(report: Report, median: Median): void {
	const read = (text: string): Condition => {
		const c = readCondition(text);
		if (!('is' in c)) throw new Error(c.words);
		return c;
	};
	const tree = new Tree([{ id: 'all', name: 'All', parent: null, site: null }]);
	const rules = CONDITIONS.map((condition, i): EnrolmentRule => ({
		id: i + 1,
		name: `rule ${i}`,
		condition: read(condition),
		into: 'all',
		bySite: false,
		whom: 'all',
		often: 'start',
		deeper: 'stay'
	}));
	const starts = Array.from({ length: 2 * DEVICES }, (_v, i): Starts => {
		const n = Math.floor(i / 2);
		const draw = (what: number) => uniform(7, n, i % 2, what);
		const device: Device = {
			serial: `K${n}`,
			name: `box-${n}`,
			model: draw(1) < 0.5 ? 'Tern 7' : 'Gull 3',
			hardware: '',
			firmware: `4.${Math.floor(draw(2) * 6)}.0`,
			address: addressText((10 << 24) + Math.floor(draw(3) * 256 * 65536)),
			site: `s${Math.floor(draw(4) * 7)}`,
			teams: [`t${Math.floor(draw(5) * 11)}`]
		};
		return { device, times: TIMES };
	});
	const through = median(() => neverDecide(rules, runThrough(starts, rules, tree)), 3);
	report('30 days of starts of 20,000 devices through 200 rules', through / 1000, 's', 'under 2', through < 2000);
	const tests = rules.map((r) => byLibraries(r.condition));
	const bare = median(() => {
		let hits = 0;
		for (const { device } of starts) {
			const asked: Asked = { device, address: ipaddr.parse(device.address) };
			for (const fits of tests) if (fits(asked)) hits++;
		}
		return hits;
	}, 3);
	report('rules against the same conditions asked of libraries', through / bare, '×', 'under 2', through < 2 * bare);
	const known = starts
		.filter((_s, i) => i % 2)
		.map((s) => ({ device: s.device, stands: { branch: 'all', rule: 1, byHand: null } }));
	const compared = median(() => compareRules(known, rules, [...rules].reverse(), tree), 3);
	report('who of 20,000 would move by other rules', compared / 1000, 's', 'under 2', compared < 2000);
	powerCut(report, median);
}
