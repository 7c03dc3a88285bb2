import { beforeAll, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { appName } from '../publishing';
import { poolOf, windowsIn } from './desk';

let h: Harness;
async function opened(login: string, publication: string) {
	const { connection } = await h.ctx.providers.broker.connect(login, publication, true, `${login} ${publication}`);
	const seen = async () => (await h.ctx.providers.broker.connection(connection))!;
	for (let i = 0; i < 60 && (await seen()).result === 'opening'; i++) await h.live(20_000);
	await h.engine.observe();
	return seen();
}

beforeAll(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	keepPackage(h, 'logline', '3.0.0');
	keepPackage(h, 'gaugetalk', '1.0.0');
	await h.live(5 * MINUTE);
	for (const name of ['logline', 'gaugetalk']) {
		await h.carryOut('package.deliver', { package: name, pools: ['quay'] });
		await h.carryOut('publication.create', {
			name: `${name} for people`,
			internalName: name,
			icon: 'ledger',
			app: { package: name, target: `${name}-main` },
			pools: ['quay']
		});
		await h.carryOut('grant.add', { publication: name, team: 'harbour', channels: [] });
	}
});

test('windows of apps stand in the order in which they were opened, by the names that people know', async () => {
	const desk = await opened('bo', 'desk');
	expect(windowsIn(h.db, desk.session, h.lab.now)).toEqual([]);
	expect(windowsIn(h.db, null, h.lab.now)).toEqual([]);
	const first = await opened('bo', 'gaugetalk');
	const second = await opened('bo', 'logline');
	expect([first.session, second.session]).toEqual([desk.session, desk.session]);
	expect(windowsIn(h.db, desk.session, h.lab.now)).toEqual([
		{ run: first.run, package: 'gaugetalk', target: 'gaugetalk-main', version: '1.0.0', name: 'gaugetalk for people' },
		{ run: second.run, package: 'logline', target: 'logline-main', version: '3.0.0', name: 'logline for people' }
	]);
	await h.ctx.providers.agent.closeApp('bo', first.run!);
	await h.engine.observe();
	expect(windowsIn(h.db, desk.session, h.lab.now).map((w) => w.run)).toEqual([second.run]);
	expect(poolOf(h.db, desk.machine)).toBe('quay');
});

test('an app that is not published has the name that its package gives it; without one, its own', async () => {
	const name = (of: string, target: string) => appName(h.db, { package: of, target }, h.lab.now);
	expect(name('logline', 'logline-main')).toBe('logline for people');
	await h.carryOut('grant.remove', { grant: 3 });
	await h.carryOut('publication.remove', { publication: 'logline' });
	expect(name('logline', 'logline-main')).toBe('Logline');
	expect(name('logline', 'gone')).toBe('logline');
	expect(name('nowhere', 'x')).toBe('nowhere');
	expect(name('image/desk', 'paperlane')).toBe('paperlane');
	expect(poolOf(h.db, 'no-machine')).toBeUndefined();
	expect(poolOf(h.db, null)).toBeUndefined();
});
