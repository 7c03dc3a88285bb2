import { beforeEach, describe, expect, test } from 'vitest';
import { firstWay, nextStep, type Step, type StepName } from '$lib/core/first/way';
import { LAB_ACCOUNT, LAB_SECRET, providerAddress } from '$lib/core/estate/providers';
import type { Estate } from '$lib/core/estate/schema';
import { EVERYTHING } from '$lib/core/scope/scope';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { needsAt } from '../house/needs';
import { beginJoining, joiningOf, saveAnswer } from '../joining/joinings';
import { Harness, testEstate } from '../testing/harness';
import { foundNow, nobodyYet } from './found';

/** The very estate that `npm start` begins with. */
let h: Harness;
let estate: Estate;
const way = async () => firstWay(await foundNow(h.ctx));
const step = async (name: StepName): Promise<Step> => (await way()).find((s) => s.name === name)!;
const states = async () => Object.fromEntries((await way()).map((s) => [s.name, s.state]));
const next = async () => nextStep(await way())?.name ?? null;

const needs = () => needsAt(h.db, EVERYTHING, h.lab.now).needs.map((n) => n.title);

/** Does what a step offers first, as it is offered. */
async function follow(name: StepName, number = 0) {
	const offer = (await step(name)).offers.filter((o) => 'kind' in o)[number]!;
	const plan = await h.draft(offer.kind, offer.input);
	expect(plan.blocks, `${name} ${JSON.stringify(plan.blocks)}`).toEqual([]);
	const job = await h.finish(await h.commit(plan.id));
	expect(job.state, `${name} ${job.error}`).toBe('done');
}

async function joinUp() {
	const site = estate.sites[0]!;
	const id = beginJoining(h.ctx, 'Chidi', null);
	expect((await step('site')).offers[0]).toMatchObject({ href: `/build/sites/${id}` });
	const save = (question: string, input: unknown) => saveAnswer(h.ctx, id, question, input, 'Chidi');
	await save('address', { address: providerAddress(estate, site) });
	const { certificate } = await joiningOf(h.ctx, id);
	await save('certificate', { fingerprint: certificate!.fingerprint });
	const { account } = await save('account', { account: site.provider.account, secret: LAB_SECRET });
	await save('particulars', {
		name: site.name,
		kind: 'office',
		timeZone: site.time_zone,
		networks: account!.offer.networks.map((n) => n.id),
		link: null,
		planned: 10
	});
	await save('directory', { folder: 'desks', account: LAB_ACCOUNT, secret: LAB_SECRET });
	await save('prices', { hostHour: 1.6, volumeMonth: 30 });
	await h.carryOut('site.join', { joining: id });
}

beforeEach(async () => {
	estate = testEstate('demo/empty.yaml');
	h = await Harness.of(estate);
	await h.live(MINUTE);
});

describe('the way to the first desktop', () => {
	test('begins with a site, and says what the rest waits for', async () => {
		expect(nobodyYet(h.db, h.lab.now)).toBe(true);
		expect(needs()).toContain('Nobody works here yet');
		expect(await states()).toEqual({
			site: 'open',
			hours: 'open',
			line: 'open',
			version: 'blocked',
			profiles: 'blocked',
			people: 'blocked',
			pool: 'blocked',
			publication: 'blocked',
			grant: 'blocked',
			work: 'blocked'
		});
		expect(await next()).toBe('site');
		expect((await step('pool')).facts.map((f) => f.words)).toEqual([
			'a site with hosts comes first',
			'a released version comes first',
			'working hours come first'
		]);
	});

	test('leads from nothing to somebody at work by what each step offers', async () => {
		await joinUp();
		expect(await next()).toBe('hours');
		await follow('hours');
		await follow('line');
		expect(await next()).toBe('version');
		await follow('version');
		expect((await step('version')).offers[0]).toMatchObject({ kind: 'image.hold' });
		await follow('version');
		expect((await step('profiles')).state).toBe('done');
		expect(await next()).toBe('people');
		await h.carryOut('team.add', { name: 'Everybody' });
		await h.carryOut('people.put', {
			people: ['ada', 'ben', 'cy', 'dot', 'eli', 'flo'].map((login) => ({
				login,
				name: login,
				site: 'first',
				team: 'everybody'
			}))
		});
		await h.live(2 * MINUTE);
		expect((await step('pool')).facts.map((f) => f.words)).toEqual([
			'4 cores and 32 GB each, a sixteenth of a host',
			'8 sessions on each, at 3 GB and half a core a person until some have been measured',
			'1 machine for 6 people'
		]);
		await follow('pool');
		await follow('publication');
		await follow('grant');
		expect(await next()).toBe('work');
		const { connection } = await h.ctx.providers.broker.connect('ada', 'desks-first-site', false, 'first');
		await h.live(10 * MINUTE);
		expect(await h.ctx.providers.broker.connection(connection)).toMatchObject({ result: 'open' });
		expect(await next()).toBeNull();
		expect(Object.values(await states())).toEqual(Array.from({ length: 10 }, () => 'done'));
		expect(nobodyYet(h.db, h.lab.now)).toBe(false);
		expect(needs()).not.toContain('Nobody works here yet');
		await h.live(HOUR, MINUTE);
	});

	test('is left and taken up again: what is there counts, whoever made it', async () => {
		await follow('line', 1);
		expect(await states()).toMatchObject({ line: 'done', version: 'blocked', site: 'open' });
		expect((await step('version')).facts[0]!.words).toBe('a site comes first: it is built there');
		await h.carryOut('line.remove', { line: 'meridian-desktop-11' });
		expect((await step('line')).state).toBe('open');
	});
});
