import { beforeAll, beforeEach, describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { all, run } from '../db';
import { withDesks } from '../testing/estates';
import { Harness, testEstate } from '../testing/harness';
import { grantsAt } from '../publications';
import { testAccess } from './circumstances';

/** Before a condition is saved its plan names who loses and who gains: here it is held against what then happens. */

let h: Harness;
const fresh = async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', withDesks));
	await h.live(4 * HOUR, 20_000);
};
const hit = (people: { id: string; how?: string }[], how: string) =>
	people
		.filter((p) => p.how === how)
		.map((p) => p.id)
		.sort();
/** Who may open a publication now, from where they sit. */
const may = (publication: string, at = h.lab.now) =>
	['anna', 'bo', 'cleo', 'dag', 'eve'].filter(
		(login) =>
			testAccess(h.db, { login, publication, at, address: null, managed: null, secondFactor: true })!.value.allowed
	);

describe('the plan of a change and what comes of it', () => {
	beforeEach(fresh);

	test.each<[string, Record<string, unknown>]>([
		['managed endpoints only', { managedEndpoint: true }],
		['from one network only', { networks: ['10.9.0.0/16'] }],
		['in hours that are over', { hours: { days: [7], from: 0, until: 60 } }]
	])('%s: those named as losing it are those who then may not', async (_name, conditions) => {
		const before = may('desk');
		const plan = await h.draft('grant.change', { grant: 1, conditions, channels: [] });
		const loses = hit(plan.effects.people, 'loses access');
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(may('desk')).toEqual(before.filter((p) => !loses.includes(p)));
		expect(loses.length).toBeGreaterThan(0);
	});

	test('a new grant: those named as gaining it are those who then may', async () => {
		const before = may('desk');
		const plan = await h.draft('grant.add', { publication: 'desk', team: 'visitors', channels: [] });
		const gains = hit(plan.effects.people, 'gains access');
		expect(gains).toEqual(['eve']);
		await h.finish(await h.commit(plan.id));
		expect(may('desk')).toEqual([...before, ...gains].sort());
	});

	test('taking a grant back takes it from those whom no other grant reaches', async () => {
		await h.carryOut('grant.add', { publication: 'desk', person: 'anna', channels: [] });
		const plan = await h.draft('grant.remove', { grant: 1 });
		expect(hit(plan.effects.people, 'loses access')).not.toContain('anna');
		await h.finish(await h.commit(plan.id));
		expect(may('desk')).toEqual(['anna']);
	});

	test('hours that cover some of their sign-ins: partly, with how many', async () => {
		// The Quay signs in about 08:00 of its clock; the afternoon alone shuts those sign-ins out, not later ones.
		const first = all<{ login: string; n: number }>(
			h.db,
			`SELECT p.login, count(*) AS n FROM connections c JOIN people p ON p.id = c.person_id WHERE c.publication_id = 'desk' GROUP BY 1`
		);
		expect(first.length).toBeGreaterThan(0);
		const plan = await h.draft('grant.change', {
			grant: 1,
			conditions: { hours: { days: [1, 2, 3, 4, 5, 6, 7], from: 12 * 60, until: 20 * 60 } },
			channels: []
		});
		const words = plan.effects.people.map((p) => p.how).join();
		expect(words).toMatch(/loses access|sign-ins would be refused/);
		expect(plan.warnings.length).toBeGreaterThan(0);
		expect(plan.reasons.map((r) => r.words)).toContain('sessions that are open stay open');
	});

	test('somebody who is shut out is refused at the gateway, with the same reason the tester gives', async () => {
		await h.carryOut('grant.change', { grant: 1, conditions: { managedEndpoint: true }, channels: [] });
		h.lab.apply({ kind: 'connect', login: 'cleo', publication: 'desk', secondFactor: true, key: 'c' });
		await h.live(MINUTE);
		const refused = all<{ cause: string }>(h.db, `SELECT cause FROM connections WHERE result = 'refused'`);
		const tested = testAccess(h.db, {
			login: 'cleo',
			publication: 'desk',
			at: h.lab.now,
			address: null,
			managed: null,
			secondFactor: true
		})!;
		expect((JSON.parse(refused.at(-1)!.cause) as { words: string }[]).map((f) => f.words)).toEqual(
			tested.facts.filter((f) => f.side === 'against').map((f) => f.words)
		);
	});
});

describe('what is wrong with a grant', () => {
	beforeAll(fresh);
	test.each<[Record<string, unknown>, string, RegExp]>([
		[{ publication: 'none', team: 'harbour' }, 'publication', /no publication called none/],
		[{ publication: 'desk', team: 'none' }, 'team', /no team none/],
		[{ publication: 'desk', person: 'zoe' }, 'person', /nobody called zoe/],
		[{ publication: 'desk' }, 'team', /either a team or a person/],
		[{ publication: 'desk', team: 'harbour', person: 'anna' }, 'team', /either a team or a person/],
		[{ publication: 'desk', team: 'visitors', conditions: { networks: ['ten'] } }, 'conditions.networks.0', /./],
		[{ publication: 'desk', team: 'visitors', channels: ['telepathy'] }, 'channels.0', /./]
	])('%j is said beside %s', async (input, field, words) => {
		const error = (await h.draft('grant.add', input).catch((e: unknown) => e)) as {
			problems: { field: string; words: string }[];
		};
		expect(error.problems.map((p) => p.field)).toContain(field);
		expect(error.problems.find((p) => p.field === field)!.words).toMatch(words);
	});
	test('the same grant twice is blocked', async () => {
		const plan = await h.draft('grant.add', { publication: 'desk', team: 'harbour', channels: [] });
		expect(plan.blocks.length).toBeGreaterThan(0);
	});
});

describe('grants over time', () => {
	beforeAll(fresh);
	test('are as they were at each moment', async () => {
		const before = h.lab.now;
		await h.live(MINUTE);
		await h.carryOut('grant.change', { grant: 1, conditions: { secondFactor: true }, channels: ['drives'] });
		const at = (t: number) => grantsAt(h.db, t).find((g) => g.id === 1)!;
		expect(at(before).conditions).toEqual({});
		expect(at(h.lab.now)).toMatchObject({ conditions: { secondFactor: true }, channels: ['drives'] });
		expect(may('desk', before)).toContain('anna');
	});
});

test('a grant that begins on a day begins at each person’s own site: from Auckland to Honolulu all of them gain it', async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (estate) => {
			estate.sites.forEach((s, i) => (s.time_zone = ['Pacific/Auckland', 'Pacific/Honolulu', 'Asia/Kolkata'][i % 3]!));
		})
	);
	const people = all<{ id: string }>(h.db, 'SELECT login AS id FROM people ORDER BY 1').map((p) => p.id);
	run(h.db, 'UPDATE grants SET until = ? WHERE publication_id = ?', [h.lab.now, 'desk']);
	const top = all<{ id: string }>(h.db, 'SELECT id FROM teams WHERE parent_id IS NULL').map((t) => t.id);
	const day = new Date(h.lab.now + 5 * 24 * HOUR).toISOString().slice(0, 10);
	const gains = new Set<string>();
	for (const team of top) {
		const plan = await h.draft('grant.add', { publication: 'desk', team, conditions: { from: day } });
		for (const p of plan.effects.people) if (p.how === 'gains access') gains.add(p.id);
	}
	expect([...gains].sort()).toEqual(people);
});
