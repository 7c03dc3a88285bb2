import { describe, expect, test } from 'vitest';
import { GB, HOUR } from '../time/units';
import { firstSheet } from './first-sheet';
import { checkSheet, type StockSystem, type Supplies } from './sheet';

const stock = (more: Partial<StockSystem> = {}): StockSystem => ({
	id: 'server-24',
	name: 'Server 24',
	system: 'Server 24',
	users: 'multi',
	generation: 2,
	leastDisk: 64 * GB,
	component: { name: 'Server', version: '24.1', size: 22 * GB },
	...more
});
const packages = [
	{ name: 'desktop agent', version: '9.2', size: 1 },
	{ name: 'profile disk client', version: '3.5', size: 1 }
];
const supplies = (s: StockSystem): Supplies => ({ stock: [s], packages, versions: [], machines: [] });

describe('the sheet that a line begins with', () => {
	test.each([stock(), stock({ users: 'single' }), stock({ generation: 1, leastDisk: 101 * GB })])(
		'is sound: in order, large enough, of the generation of its system (%#)',
		(system) => {
			const sheet = firstSheet(system, packages);
			const line = { id: 'x', name: 'x', system: system.system, users: system.users, generation: system.generation };
			expect(checkSheet(sheet, line, supplies(system))).toEqual([]);
			expect(sheet.builder.disk).toBeGreaterThanOrEqual(system.leastDisk);
			expect(sheet.limit % HOUR).toBe(0);
		}
	);

	test('leaves out what the store does not have, and roles that a system for one person does not take', () => {
		const kinds = (s: StockSystem, p = packages) => firstSheet(s, p).steps.map((x) => x.kind);
		expect(kinds(stock())).toEqual(['source', 'role', 'updates', 'profile client', 'agent', 'seal']);
		expect(kinds(stock({ users: 'single' }), packages.slice(0, 1))).toEqual(['source', 'updates', 'agent', 'seal']);
	});
});
