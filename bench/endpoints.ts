import ipaddr from 'ipaddr.js';
import { readCondition, type Condition, type Device } from '$lib/core/endpoints/condition';
import {
	compareRules,
	neverDecide,
	runThrough,
	Tree,
	type EnrolmentRule,
	type Starts
} from '$lib/core/endpoints/rules';
import { addressText } from '$lib/core/network/addresses';
import { uniform } from '$lib/server/simulator/random';

type Report = (name: string, value: number, unit: string, aim: string, met: boolean) => void;
type Median = (work: () => unknown, n?: number) => number;

const DEVICES = 20_000;
const RULES = 200;
/** Starts of thirty days, of each device from two places. */
const TIMES = 11;

/** Enrolment rules tried on what was, against a library that asks nothing but whether each start lies in each range. */
export function endpointsBench(report: Report, median: Median): void {
	const read = (text: string): Condition => {
		const c = readCondition(text);
		if (!('is' in c)) throw new Error(c.words);
		return c;
	};
	const tree = new Tree([{ id: 'all', name: 'All', parent: null, site: null }]);
	const ranges = Array.from({ length: RULES }, (_v, i) => `10.${i}.0.0/${16 + (i % 8)}`);
	const rules = ranges.map((range, i): EnrolmentRule => ({
		id: i + 1,
		name: `rule ${i}`,
		condition: read(
			[
				`address in ${range}`,
				`address in ${range} and model ~ Tern*`,
				`address in ${range} and not (firmware < 4.${i % 5} or name ~ *-x${i}*)`,
				`address in ${range} or (site is s${i % 7} and team is t${i % 11} and serial ~ K${i}*)`
			][i % 4]!
		),
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
	const parsed = ranges.map((r) => ipaddr.parseCIDR(r));
	const bare = median(() => {
		let hits = 0;
		for (const { device } of starts) {
			const address = ipaddr.parse(device.address);
			for (const [network, bits] of parsed)
				if (address.kind() === network.kind() && address.match(network, bits)) hits++;
		}
		return hits;
	}, 3);
	report('rules against the library that tests each range alone', through / bare, '×', 'under 2', through < 2 * bare);
	const known = starts
		.filter((_s, i) => i % 2)
		.map((s) => ({ device: s.device, stands: { branch: 'all', rule: 1, byHand: null } }));
	const compared = median(() => compareRules(known, rules, [...rules].reverse(), tree), 3);
	report('who of 20,000 would move by other rules', compared / 1000, 's', 'under 2', compared < 2000);
}
