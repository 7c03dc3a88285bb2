import { deserialize, serialize } from 'node:v8';
import { beforeEach, describe, expect, test } from 'vitest';
import { FOREVER, HOUR, MINUTE } from '$lib/core/time/units';
import type { Estate } from '$lib/core/estate/schema';
import { run } from '../db';
import { tellAgents } from '../packages';
import { Harness, QUIET, testEstate } from '../testing/harness';
import { keepPackage } from '../testing/packages';
import { shelfOf } from '../shelf';
import { Lab } from './lab';
import { startTime } from './starting';
import type { World } from './state';

/** Apps of packages in the simulated estate, as the portal meets them. */

let h: Harness;
const connect = async (login: string, publication: string, another = false) =>
	(await h.ctx.providers.broker.connect(login, publication, true, `${login} ${publication} ${h.lab.now}`, another))
		.connection;
const seen = async (connection: number) => (await h.ctx.providers.broker.connection(connection))!;
async function opened(connection: number) {
	for (let i = 0; i < 60 && (await seen(connection)).result === 'opening'; i++) await h.live(20_000);
	return seen(connection);
}

async function begin(change: (e: Estate) => void = () => {}) {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			QUIET(e);
			change(e);
		})
	);
	keepPackage(h, 'logline', '3.0.0');
	await h.live(5 * MINUTE);
	await h.carryOut('package.deliver', { package: 'logline', version: '3.0.0', pools: ['quay'] });
	await publish('logline');
}

/** Puts an app on everybody's shelf. */
async function publish(name: string) {
	const title = name[0]!.toUpperCase() + name.slice(1);
	await h.carryOut('publication.create', {
		name: title,
		internalName: title,
		icon: 'ledger',
		app: { package: name, target: `${name}-main` },
		pools: ['quay']
	});
	await h.carryOut('grant.add', { publication: name, team: 'everybody', channels: [] });
}

describe('an app from the shelf', () => {
	beforeEach(() => begin());

	test('takes a machine of its own where there is none, and shares the session that is there', async () => {
		const first = await opened(await connect('anna', 'logline'));
		expect(first).toMatchObject({ result: 'open', start: 'cold', sharing: [] });
		expect(first.phases.map((p) => p.name)).toEqual(expect.arrayContaining(['shell', 'app']));
		const desk = await opened(await connect('bo', 'desk'));
		const shared = await opened(await connect('bo', 'logline'));
		expect(shared).toMatchObject({ machine: desk.machine, session: desk.session });
		expect(shared.sharing[0]!.words).toMatch(/is shared: its pool serves the app too/);
		expect(shared.phases.map((p) => p.name)).not.toContain('directory');
		// Asked for again, it is the one that is open.
		expect(await opened(await connect('bo', 'logline'))).toMatchObject({ run: shared.run, start: 'warm' });
	});

	test('says why a session is not shared', async () => {
		const own = await opened(await connect('eve', 'own'));
		const app = await opened(await connect('eve', 'logline'));
		expect(app.machine).not.toBe(own.machine);
		expect(app.sharing[0]).toMatchObject({
			words: `the session on ${own.machine} is not shared: its pool, own, does not serve the app`,
			side: 'against'
		});
	});

	test('closed, it takes a session that was for it alone along; a desktop stays', async () => {
		const alone = await opened(await connect('anna', 'logline'));
		const desk = await opened(await connect('bo', 'desk'));
		const beside = await opened(await connect('bo', 'logline'));
		await h.ctx.providers.agent.closeApp('anna', alone.run!);
		await h.ctx.providers.agent.closeApp('bo', beside.run!);
		await h.live(MINUTE);
		expect(h.lab.world.sessions.has(alone.session!)).toBe(false);
		expect(h.lab.world.sessions.has(desk.session!)).toBe(true);
		await expect(h.ctx.providers.agent.closeApp('bo', 999)).rejects.toThrow(/no such app open/);
	});

	test('that cannot be attached tells its person in a sentence, and leaves no session behind', async () => {
		await h.carryOut('package.deliver', { package: 'logline', pools: ['quay'], mode: 'launch' });
		await h.server.bench.addFault('package-store-down', 'quay', null);
		const lost = await opened(await connect('anna', 'logline'));
		expect(lost).toMatchObject({ result: 'lost' });
		expect(lost.advice).toMatch(/^Logline cannot be fetched to where you are just now\./);
		expect(lost.cause[0]!.words).toBe('the package store at quay does not answer');
		expect(h.lab.world.sessions.size).toBe(0);
		// Once nothing stands in its way, a start does not wait for the next try.
		for (const f of await h.server.bench.faults()) await h.server.bench.clearFault(f.id);
		expect(await opened(await connect('anna', 'logline'))).toMatchObject({ result: 'open', start: 'attached' });
	});
});

describe('two apps that want the same port', () => {
	test('the first in the order has it, whichever was there first, and never from under anybody', async () => {
		await begin();
		// The later a package is kept, the later it comes in the order.
		keepPackage(h, 'logline', '3.1.0', { ports: ['7071'] });
		keepPackage(h, 'gaugetalk', '1.0.0', { ports: ['7071'] });
		await h.carryOut('package.deliver', { package: 'logline', version: '3.1.0', pools: ['quay'], mode: 'launch' });
		// No plan delivers both any more; a pool of an estate file, or of long ago, may have them.
		run(h.db, "INSERT INTO deliveries VALUES ('quay', 'gaugetalk', ?, ?, '1.0.0', 'sign-in', 'test', NULL)", [
			h.lab.now,
			FOREVER
		]);
		await tellAgents(h.ctx);
		await publish('gaugetalk');
		const desk = await opened(await connect('bo', 'desk'));
		await h.live(MINUTE);
		const there = (name: string) => h.lab.stage.agents.look(desk.machine!)!.present.get(name)?.[0]?.state ?? null;
		expect([there('logline'), there('gaugetalk')]).toEqual([null, 'attached']);
		// Nobody has the later one open: it gives way.
		const log = await opened(await connect('bo', 'logline'));
		expect(log).toMatchObject({ result: 'open', machine: desk.machine });
		expect([there('logline'), there('gaugetalk')]).toEqual(['attached', null]);
		await h.ctx.providers.agent.closeApp('bo', log.run!);
		await h.live(MINUTE);
		expect([there('logline'), there('gaugetalk')]).toEqual([null, 'attached']);
		// Somebody has: whoever wants the other is told, and what is open stays.
		const gauge = await opened(await connect('bo', 'gaugetalk'));
		expect(gauge.result).toBe('open');
		const refused = await opened(await connect('bo', 'logline'));
		expect(refused).toMatchObject({ result: 'lost', advice: expect.stringMatching(/cannot run on this machine/) });
		expect(refused.cause.at(-1)!.words).toMatch(/gaugetalk has port 7071 until the last/);
		expect(there('gaugetalk')).toBe('attached');
	});
});

describe('an app that only some teams may start', () => {
	test('tells others so in the words of its package, on the shelf and when they try', async () => {
		await begin();
		keepPackage(h, 'logline', '3.1.0', { teams: ['harbour'], refusal: 'Logline is for the harbour: call Bo.' });
		await h.carryOut('package.deliver', { package: 'logline', version: '3.1.0', pools: ['quay'] });
		const shelf = (login: string) => shelfOf(h.db, login, h.lab.now, true)!.find((x) => x.id === 'logline')!;
		expect(shelf('anna').allowed).toBe(true);
		expect(shelf('eve')).toMatchObject({ allowed: false, advice: 'Logline is for the harbour: call Bo.' });
		expect(shelf('eve').why.at(-1)!.words).toBe('its package is for Harbour alone');
		expect(await opened(await connect('eve', 'logline'))).toMatchObject({
			result: 'refused',
			machine: null,
			advice: 'Logline is for the harbour: call Bo.'
		});
		expect((await opened(await connect('anna', 'logline'))).result).toBe('open');
	});
});

describe('machines of a personal pool', () => {
	test('may be as many each as the grant says', async () => {
		await begin();
		await h.carryOut('grant.change', { grant: 2, machines: 2 });
		const one = await opened(await connect('eve', 'own'));
		const two = await opened(await connect('eve', 'own', true));
		expect(new Set([one.machine, two.machine])).toEqual(new Set(['own-01', 'own-02']));
		const third = await opened(await connect('eve', 'own', true));
		expect(third).toMatchObject({ result: 'refused' });
		expect(third.advice).toMatch(/as many machines as you may: 2/);
	});
});

describe('what people start of their own accord', () => {
	const busy = (e: Estate) => {
		for (const p of e.directory.people) if (p.login !== 'eve') p.pattern = 'day';
		e.directory.teams.find((t) => t.id === 'harbour')!.apps = [
			{ package: 'logline', target: 'logline-main', chance: 1, times: 6, takes: 20 * MINUTE }
		];
	};
	const started = () => h.lab.world.observations.filter((o) => o.kind === 'app').length;
	/** A working day, or what is left of this one and the next. */
	const day = () => h.server.advance(h.lab.now + 24 * HOUR);

	test('is what is granted to them, where their machine has it', async () => {
		await begin(busy);
		day();
		expect(started()).toBeGreaterThan(3);
		// Each in a session of somebody of the harbour, and never twice in one session at once.
		const open = new Map<number, number>();
		for (const o of h.lab.world.observations) {
			if (o.kind === 'app') {
				expect([...open.values()]).not.toContain(o.session);
				open.set(o.run, o.session);
			} else if (o.kind === 'app closed') open.delete(o.run);
			else if (o.kind === 'session' && o.state === 'ended')
				for (const [run, session] of open) if (session === o.session) open.delete(run);
		}
	});
	test('is nothing where it is granted to others', async () => {
		await begin(busy);
		await h.carryOut('grant.remove', { grant: 3 });
		await h.carryOut('grant.add', { publication: 'logline', person: 'eve', channels: [] });
		await h.engine.observe();
		const before = started();
		day();
		expect(started()).toBe(before);
	});
	test('writes to their overlays, until those are emptied', async () => {
		await begin(busy);
		day();
		const overlays = await h.ctx.providers.agent.overlays('logline');
		expect(overlays.length).toBeGreaterThan(0);
		expect(overlays.every((o) => o.bytes > 1e6)).toBe(true);
		const { person, bytes } = overlays[0]!;
		const emptied = h.ctx.providers.agent.emptyOverlay('logline', person, 'k');
		h.server.advance(h.lab.now + MINUTE);
		expect(await emptied).toBeGreaterThanOrEqual(bytes);
		expect(await h.ctx.providers.agent.overlays('gaugetalk')).toEqual([]);
	});
	test.for([
		{ lives: 'machine', outlasts: true },
		{ lives: 'machine', outlasts: false },
		{ lives: 'profile disk', outlasts: true },
		{ lives: 'profile disk', outlasts: false }
	] as const)('is kept on the $lives; for good: $outlasts', async ({ lives, outlasts }) => {
		await begin();
		keepPackage(h, 'logline', '3.1.0', { writes: { usual: 'overlay', branches: [], overlay: { lives, outlasts } } });
		await h.carryOut('package.deliver', { package: 'logline', version: '3.1.0', pools: ['quay'] });
		const overlays = () => h.ctx.providers.agent.overlays('logline');
		const desk = await opened(await connect('bo', 'desk'));
		const app = await opened(await connect('bo', 'logline'));
		await h.ctx.providers.agent.closeApp('bo', app.run!);
		expect(await overlays()).toMatchObject([{ person: 'bo', machine: lives === 'machine' ? desk.machine : null }]);
		const ended = h.ctx.providers.agent.signOut(desk.session!, 'test', 'end');
		h.server.advance(h.lab.now + MINUTE);
		await ended;
		expect(await overlays()).toHaveLength(outlasts ? 1 : 0);
		const reset = h.ctx.providers.compute.reset(desk.machine!, '1.0.0', 'reset');
		h.server.advance(h.lab.now + HOUR);
		await reset;
		expect(await overlays()).toHaveLength(outlasts && lives === 'profile disk' ? 1 : 0);
	});
});

describe('the world with packages in it', () => {
	test('goes on alike from a stored copy', async () => {
		await begin((e) => {
			for (const p of e.directory.people) if (p.login !== 'eve') p.pattern = 'day';
			e.directory.teams.find((t) => t.id === 'harbour')!.apps = [
				{ package: 'logline', chance: 1, times: 5, takes: HOUR }
			];
		});
		h.server.advance(h.lab.now + 20 * HOUR);
		const copy = new Lab(h.lab.estate, deserialize(serialize(h.lab.world)) as World);
		const end = h.lab.now + 6 * HOUR;
		for (const lab of [h.lab, copy]) lab.advance(end);
		const rows = (lab: Lab) =>
			lab.world.observations.filter((o) => o.kind === 'package' || o.kind === 'app' || o.kind === 'app closed');
		expect(rows(h.lab).length).toBeGreaterThan(10);
		expect(rows(copy)).toEqual(rows(h.lab));
		expect(copy.stage.agents.look('quay-01')).toEqual(h.lab.stage.agents.look('quay-01'));
	});
});

describe('a start', () => {
	test('is short when warm, shorter with what it reads read ahead, and longer the more it reads', () => {
		const reads = { files: 40, bytes: 12e6, ahead: false };
		const cold = startTime(reads, false);
		const ahead = startTime({ ...reads, ahead: true }, false);
		expect(startTime(reads, true)).toBeLessThan(ahead);
		expect(ahead).toBeLessThan(cold / 1.5);
		expect(startTime({ ...reads, bytes: 24e6 }, false)).toBeGreaterThan(cold);
		expect(startTime(null, false)).toBeGreaterThan(startTime(null, true));
	});
});
