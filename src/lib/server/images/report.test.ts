import { sectionOf } from '$lib/core/why/card';
import { beforeEach, describe, expect, test } from 'vitest';
import { makeStep } from '$lib/core/images/sheet';
import { GB, HOUR, MINUTE } from '$lib/core/time/units';
import { cardOf } from '../house/cards';
import { Harness, testEstate } from '../testing/harness';
import { billOfMaterials } from './bom';
import { builderPrice, suppliesOf } from './builds';
import { lineAt, sheetAt, sitesWith } from './queries';
import { reportOf, reportOfText } from './report';
import { bytesOf, chunkIds, learnStores, sendBetween } from './stores';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', (e) => (e.lab.failure = 0)));
	await h.live(5 * MINUTE);
});
const sheet = () => sheetAt(h.db, 'desk', h.lab.now)!;

describe('the report of a sheet', () => {
	test('says time, chance, rights, and what other builders would make of it', async () => {
		const r = await reportOf(h.ctx, 'desk', sheet());
		expect(r.problems).toEqual([]);
		expect(r.better).toBeNull();
		expect(r.steps.map((s) => s.words)[2]).toBe('Install Paperlane');
		expect(r.expected.ninety).toBeGreaterThan(r.expected.middle);
		expect(r.over).toBe(0);
		expect(r.rights.every((x) => x.granted)).toBe(true);
		const own = r.builders.find((b) => b.own)!;
		expect(own.middle).toBe(r.expected.middle);
		const eight = r.builders.find((b) => b.cores === 8)!;
		expect(eight.middle).toBeLessThan(own.middle);
		// Half of the work does not spread: twice the cores cost more in all.
		expect(eight.cost).toBeGreaterThan(own.cost);
		const larger = r.builders.find((b) => b.cores === own.cores && b.disk > own.disk)!;
		expect(larger.middle).toBeLessThan(own.middle);
		expect(builderPrice(h.db, 8)).toBeCloseTo(2 * builderPrice(h.db, 4), 6);
	});
	test('of one out of order offers the nearest order', async () => {
		const steps = sheet().steps;
		const r = await reportOf(h.ctx, 'desk', { ...sheet(), steps: [...steps.slice(0, 4), steps[5]!, steps[4]!] });
		expect(r.better!.words).toHaveLength(1);
		expect(r.problems[0]!.fact.words).toMatch(/must be last/);
	});
	test('of a text places its problems; what cannot be read says where', async () => {
		const r = await reportOf(h.ctx, 'desk', sheet());
		const good = await reportOfText(h.ctx, 'desk', r.text);
		expect('report' in good && good.report.sheet).toEqual(sheet());
		const bad = await reportOfText(h.ctx, 'desk', r.text.replace('kind: updates', 'kind: update'));
		expect('wrong' in bad && bad.wrong[0]!.message).toMatch(/no kind of step called update; did you mean updates/);
		const odd = await reportOfText(h.ctx, 'desk', r.text.replace('package: Paperlane', 'package: Paperplane'));
		const problem = 'report' in odd ? odd.report.problems[0]! : null;
		expect(problem).toMatchObject({ line: r.text.split('\n').findIndex((l) => l.includes('Paperlane')) + 1 });
		expect(problem!.fact.words).toBe('the package store has no package called Paperplane');
	});
	test('a right that was taken is shown as missing', async () => {
		h.lab.apply({ kind: 'fault', fault: 'right-taken', target: 'updates', value: null });
		const r = await reportOf(h.ctx, 'desk', sheet());
		expect(r.rights.filter((x) => !x.granted)).toEqual([
			{
				right: 'updates',
				words: 'reach the update service',
				steps: ['System updates, all outstanding'],
				granted: false
			}
		]);
	});
	test('supplies are what the provider offers and what is kept', async () => {
		const s = await suppliesOf(h.ctx);
		expect(s.stock.map((x) => x.id)).toEqual(['meridian-server-24', 'meridian-desktop-9']);
		expect(s.versions.map((v) => v.number)).toEqual(['1.0.0', '1.1.0']);
		expect(s.machines.map((m) => m.name)).toEqual(['own-01', 'own-02']);
	});
});

describe('sources', () => {
	const build = async (step: ReturnType<typeof makeStep>, generation: 1 | 2 = 2) => {
		await h.carryOut('image.sheet', {
			line: 'desk',
			...sheet(),
			builder: { ...sheet().builder, disk: 90 * GB, generation },
			steps: [step, makeStep('agent'), makeStep('seal')]
		});
		return h.draft('image.build', { line: 'desk' });
	};
	test('an earlier version brings its parts along', async () => {
		const plan = await build(makeStep('source', { from: 'version', line: 'desk', number: '1.1.0' }));
		expect(plan.blocks).toEqual([]);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		const version = lineAt(h.db, 'desk', h.lab.now)!.versions.at(-1)!;
		expect(version.contents.map((c) => c.name)).toEqual(['Meridian Server', 'Paperlane', 'desktop agent']);
	});
	test('a machine prepared by hand', async () => {
		const plan = await build(makeStep('source', { from: 'machine', machine: 'own-01' }));
		expect(plan.blocks).toEqual([]);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
	});
	test.each([
		[makeStep('source', { from: 'machine', machine: 'gone-01' }), /no machine gone-01 to start from/],
		[makeStep('source', { system: 'meridian-desktop-9' }), /is generation 1 \(BIOS\), the builder generation 2/],
		[makeStep('source', { system: 'elsewhere' }), /no stock system elsewhere/]
	])('%j cannot be built from, and why', async (step, words) => {
		expect((await build(step)).blocks.map((b) => b.words).join()).toMatch(words);
	});
	test('a builder of another generation than the line is refused', async () => {
		expect(
			(await build(makeStep('source', { system: 'meridian-server-24' }), 1)).blocks.map((b) => b.words).join()
		).toMatch(/the machines of the line are generation 2/);
	});
});

describe('contents', () => {
	test('leave as CycloneDX with every part, its version and its size', async () => {
		const line = lineAt(h.db, 'desk', h.lab.now)!;
		const bom = JSON.parse(await billOfMaterials(line.versions[1]!, line.system)) as {
			bomFormat: string;
			specVersion: string;
			metadata: { component: { name: string; version: string } };
			components: { name: string; version: string; type: string; properties: { name: string; value: string }[] }[];
		};
		expect(bom).toMatchObject({
			bomFormat: 'CycloneDX',
			specVersion: '1.6',
			metadata: { component: { name: 'desk', version: '1.1.0' } }
		});
		expect(bom.components.map((c) => `${c.name} ${c.version} ${c.type}`)).toEqual([
			'Meridian Server 24.10 operating-system',
			'Paperlane 13.0 application'
		]);
		expect(bom.components[1]!.properties).toEqual([{ name: 'sextant:bytes', value: String(4 * GB) }]);
	});
	test('chunks: a version is made of all its parts, and shares what did not change', async () => {
		await learnStores(h.ctx);
		const [a, b] = [chunkIds(h.db, 'desk', '1.0.0'), chunkIds(h.db, 'desk', '1.1.0')];
		expect(bytesOf(h.db, a).size).toBe(20 * GB);
		expect(bytesOf(h.db, b).size).toBe(25 * GB);
		expect([...a]).toEqual([...new Set(a)].sort((x, y) => x - y));
		const send = sendBetween(h.db, { line: 'desk', number: '1.0.0' }, { line: 'desk', number: '1.1.0' });
		expect(send.lacking).toBeLessThan(send.chunks);
		expect(send.packed).toBeLessThan(send.whole);
		expect(sendBetween(h.db, { line: 'desk', number: '1.1.0' }, { line: 'desk', number: '1.1.0' })).toMatchObject({
			lacking: 0,
			packed: 0
		});
		expect(chunkIds(h.db, 'desk', '9.9.9')).toHaveLength(0);
	});
	test('stores: what a site loses is no longer counted there', async () => {
		expect(sitesWith(h.db, 'desk', '1.0.0', h.lab.now).sort()).toEqual(['isle', 'quay']);
		h.lab.world.images.stores.get('isle')!.whole.clear();
		await h.live(MINUTE);
		await learnStores(h.ctx);
		expect(sitesWith(h.db, 'desk', '1.0.0', h.lab.now)).toEqual(['quay']);
		expect(sitesWith(h.db, 'desk', '1.0.0', h.lab.now - 30_000)).toContain('isle');
	});
});

describe('the card of a version', () => {
	test('groups who takes it with the reason, and offers what can be done', async () => {
		const card = (await cardOf(h.ctx, 'version', 'desk/1.1.0', { at: h.lab.now, live: true }))!;
		expect(sectionOf(card, 'takes')!.title).toBe('Who would take it, and why not');
		expect(sectionOf(card, 'takes')!.groups.map((g) => [g.machines, g.pill])).toEqual([[11, 'pinned']]);
		expect(sectionOf(card, 'takes')!.groups[0]!.words).toMatch(/its pool follows exactly 1\.0\.0/);
		expect(card.actions.map((a) => a.words)).toEqual([
			'Release it',
			'Rebuild with updates',
			'Open by hand',
			'Retire it',
			'Delete it',
			'Leave a note'
		]);
		expect(sectionOf(card, 'compared')!.send).toMatch(/GB to send where 1\.0\.0 is, instead of/);
		const old = (await cardOf(h.ctx, 'version', 'desk/1.0.0', { at: h.lab.now, live: true }))!;
		expect(sectionOf(old, 'takes')!.groups.map((g) => [g.machines, g.pill])).toEqual([[11, 'on it']]);
		expect(old.facts.map((f) => f.words)).toContain('pool quay follows exactly 1.0.0');
	});
	test('of the past offers nothing, and knows what was so then', async () => {
		const before = h.lab.now;
		await h.carryOut('image.hold', { line: 'desk', number: '1.1.0', held: false });
		const then = (await cardOf(h.ctx, 'version', 'desk/1.1.0', { at: before, live: false }))!;
		expect(then.actions).toEqual([]);
		expect(then.sub).toBe('held back from “newest”');
		expect((await cardOf(h.ctx, 'version', 'desk/1.1.0', { at: h.lab.now, live: true }))!.sub).not.toMatch(/held/);
		expect(await cardOf(h.ctx, 'version', 'desk/7.7.7', { at: h.lab.now, live: true })).toBeNull();
	});
	test('of a machine says why it is on its version', async () => {
		const card = (await cardOf(h.ctx, 'machine', 'quay-01', { at: h.lab.now, live: true }))!;
		expect(card.facts.map((f) => f.words)).toEqual(
			expect.arrayContaining(['image 1.0.0: its pool follows exactly 1.0.0', 'image 1.0.0: it is on 1.0.0 already'])
		);
	});
});

describe('a limit', () => {
	test('stops a step in the middle, not only between two', async () => {
		await h.carryOut('image.sheet', {
			line: 'desk',
			...sheet(),
			limit: 2 * MINUTE,
			steps: [
				sheet().steps[0]!,
				makeStep('script', { name: 'long', text: 'sleep', limit: 12 * HOUR }),
				...sheet().steps.slice(4)
			]
		});
		const job = await h.carryOut('image.build', { line: 'desk' });
		expect(job.error).toMatch(/the build has reached its limit of 2 min/);
		expect(job.ended! - job.began!).toBeLessThan(4 * MINUTE);
	});
});
