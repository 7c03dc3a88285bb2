import { beforeEach, describe, expect, test } from 'vitest';
import { EVERYTHING } from '$lib/core/scope/scope';
import { DAY, HOUR, MINUTE } from '$lib/core/time/units';
import { wallTime } from '$lib/core/time/zone';
import { changesBefore } from '../changes';
import { one, putSetting } from '../db';
import { personCalled } from '../directory';
import { freeAt, keptOf } from '../endpoints';
import { cardOf } from '../house/cards';
import { needsAt } from '../house/needs';
import { SERVED_AT } from '../identity/portal';
import { peoplePage } from '../watch';
import { draftUndo } from '../plans';
import { withDesks } from '../testing/estates';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { comingGroups } from './coming';

/** People of the Quay sit at boxes, but Cleo; two more boxes stand there for whoever comes. Fay begins in three days. */
let h: Harness;
const dayOf = (n: number) => new Date((wallTime('Europe/Oslo', h.lab.now).day + n) * DAY).toISOString().slice(0, 10);
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			withDesks(e);
			Object.assign(e.endpoints.fleets[0]!, { spare: 2, spare_on: e.lab.opens - 2 * HOUR });
		})
	);
	putSetting(h.db, SERVED_AT, 'http://localhost:4870');
	const fay = { login: 'fay', name: 'Fay Buoy', site: 'quay', team: 'harbour', mail: 'fay@testbay.example' };
	await h.carryOut('people.put', { people: [{ ...fay, begins: dayOf(3), pattern: 'day' }] });
	await h.live(3 * HOUR, 20_000);
});

const numberOf = (login: string) => one<{ id: number }>(h.db, 'SELECT id FROM people WHERE login = ?', [login])!.id;
const free = () => freeAt(h.db, 'quay', h.lab.now).map((d) => d.name);
const kept = (login: string) => keptOf(h.db, numberOf(login), h.lab.now).map((d) => d.name);
const idOf = (name: string) =>
	one<{ id: number }>(h.db, 'SELECT endpoint_id AS id FROM endpoint_facts WHERE name = ? ORDER BY since DESC', [name])!
		.id;
const begins = () => comingGroups(h.db, h.lab.now).find((g) => g.kind === 'begins')!;
const need = (key: string) => needsAt(h.db, EVERYTHING, h.lab.now).needs.find((n) => n.key === key);
const undo = async () => {
	const plan = await draftUndo(h.ctx, OWNER, changesBefore(h.db, h.lab.now)[0]!.number, 'test');
	return (await h.finish(await h.commit(plan.id))).state;
};

describe('a device for somebody who begins', () => {
	test('is missed on the morning, until one is kept as the plan beside it says; undone, it is missed again', async () => {
		expect(free()).toHaveLength(2);
		const before = begins();
		expect(before).toMatchObject({ state: 'missing' });
		expect(before.facts.map((f) => f.words)).toContain('no endpoint is kept for them: 2 are free there');
		const mend = before.mends.find((m) => m.kind === 'device')!;
		expect(mend).toMatchObject({ give: [{ person: 'fay' }] });
		const plan = await h.draft('endpoint.keep', { give: (mend as { give: unknown }).give });
		expect(plan.title).toMatch(/^Keep q-\d+ for Fay Buoy$/);
		await h.finish(await h.commit(plan.id));
		expect(free()).toHaveLength(1);
		expect(kept('fay')).toHaveLength(1);
		expect(begins().facts.map((f) => f.words)).toContain('an endpoint is theirs');
		const card = (await cardOf(h.ctx, 'endpoint', String(idOf(kept('fay')[0]!)), { at: h.lab.now, live: true }))!;
		expect(card.rows).toContainEqual({ name: 'kept for', value: 'Fay Buoy', card: 'person/fay' });
		const listed = () =>
			peoplePage(h.db, {
				at: h.lab.now + 4 * DAY,
				scope: EVERYTHING,
				sort: 'name',
				descending: false,
				limit: 99,
				offset: 0
			}).rows.find((p) => p.login === 'fay')!;
		expect(listed()).toMatchObject({ endpoint: kept('fay')[0], managed: 1 });
		// What it proves is theirs before they have ever been on it.
		expect(personCalled(h.db, 'fay', h.lab.now)).toMatchObject({
			device: { name: kept('fay')[0], certificate: 'good' }
		});
		expect(await undo()).toBe('done');
		expect(personCalled(h.db, 'fay', h.lab.now)).toMatchObject({ device: { name: null, certificate: 'none' } });
		expect(free()).toHaveLength(2);
		expect(begins()).toMatchObject({ state: 'missing' });
	});

	test('is kept by a welcome, is what they sit at from the first morning on, and is collected once they have left', async () => {
		const plan = await h.draft('people.welcome', { people: ['fay'], device: true });
		expect(plan.effects.people[0]!.how).toMatch(/^sits at q-\d+; is invited$/);
		await h.finish(await h.commit(plan.id));
		const [name] = kept('fay');
		await h.live(3 * DAY + 4 * HOUR, 5 * MINUTE);
		expect(
			one(
				h.db,
				`SELECT f.name FROM person_endpoints x JOIN endpoint_facts f ON f.endpoint_id = x.endpoint_id AND f.until > @at WHERE x.person_id = @id AND x.until > @at`,
				{ at: h.lab.now, id: numberOf('fay') }
			)
		).toEqual({ name });
		expect(
			one<{ n: number }>(
				h.db,
				`SELECT count(*) AS n FROM connections WHERE person_id = ? AND endpoint_id = ? AND result = 'open'`,
				[numberOf('fay'), idOf(name!)]
			)!.n
		).toBeGreaterThan(0);

		const leave = await h.draft('people.leave', { person: 'fay', at: 'now', sessions: 'end' });
		expect(leave.reasons.map((r) => r.words)).toContain(
			`${name}: to be collected from them, as Today will say; it is nobody else’s until then`
		);
		await h.finish(await h.commit(leave.id));
		await h.live(10 * MINUTE);
		expect(free()).not.toContain(name);
		expect(need('endpoints-to-collect')).toMatchObject({
			count: 1,
			title: '1 endpoint is to be collected from somebody who has left'
		});
		const { kind, input } = need('endpoints-to-collect')!.plan!;
		const collect = await h.draft(kind, input);
		expect(collect.title).toBe(`Note that ${name} has been collected`);
		await h.finish(await h.commit(collect.id));
		expect(need('endpoints-to-collect')).toBeUndefined();
		expect(free()).toContain(name);
		expect(await h.draft('endpoint.keep', input)).toMatchObject({ blocks: [{ words: 'it is so already' }] });
		// Noted wrongly, it is taken back: whoever had it last has it, though they have ended.
		expect(await undo()).toBe('done');
		expect(kept('fay')).toEqual([name]);
		await h.carryOut(kind, input);
		// Nobody notes anew that it is theirs.
		await h.live(10 * MINUTE);
		expect(free()).toContain(name);
	});

	test('welcomed and taken back, it is free; with none free it says so and does the rest', async () => {
		await h.carryOut('people.welcome', { people: ['fay'], device: true });
		expect(free()).toHaveLength(1);
		expect(await undo()).toBe('done');
		expect([free().length, kept('fay')]).toEqual([2, []]);
		for (const name of free()) await h.carryOut('endpoint.keep', { give: [{ endpoint: idOf(name), person: 'cleo' }] });
		const plan = await h.draft('people.welcome', { people: ['fay'], device: true });
		expect(plan.warnings.map((w) => w.words)).toContain('no endpoint is free for Fay Buoy');
		expect(plan.blocks).toEqual([]);
	});
});

describe('what somebody had who has ended', () => {
	test('is theirs until it is collected, though nobody had kept it for them; what others sit at as well is not', async () => {
		const box = one<{ name: string }>(
			h.db,
			`SELECT f.name FROM person_endpoints x JOIN endpoint_facts f ON f.endpoint_id = x.endpoint_id AND f.until > @at WHERE x.person_id = @id AND x.until > @at`,
			{ at: h.lab.now, id: numberOf('anna') }
		)!.name;
		h.lab.apply({ kind: 'connect', login: 'bo', publication: 'desk', secondFactor: true, key: 'bo' });
		await h.live(10 * MINUTE);
		h.lab.world.directoryChanges.push({
			at: h.lab.now,
			kind: 'person',
			is: { ...record('anna'), ends: h.lab.now }
		});
		await h.live(10 * MINUTE);
		expect(kept('anna')).toEqual([box]);
		expect(kept('bo')).toEqual([]);
		expect(need('endpoints-to-collect')!.facts[0]!.words).toBe(`${box}, a Tern 5: Anna Quill has it`);
	});
});

/** Somebody as the directory of the lab tells of them. */
function record(login: string) {
	const p = h.lab.world.people.get(login)!;
	const { name, mail, employment, manager, site, language, pattern, begins, ends, team, others, moves } = p;
	return {
		login,
		name,
		mail,
		employment,
		manager,
		site,
		language,
		pattern,
		begins,
		ends,
		memberOf: [team, ...others],
		moves
	};
}

test('what is wrong is said beside its field; who has ended, and what waits to be let in, are blocked', async () => {
	const give = (endpoint: number, person: string | null) => h.draft('endpoint.keep', { give: [{ endpoint, person }] });
	await expect(give(99, 'fay')).rejects.toMatchObject({ problems: [{ field: 'give.0.endpoint' }] });
	await expect(give(1, 'nobody')).rejects.toMatchObject({ problems: [{ field: 'give.0.person' }] });
	await expect(h.draft('endpoint.keep', { give: [] })).rejects.toMatchObject({ problems: [{ field: 'give' }] });
	const anna = idOf(
		one<{ name: string }>(
			h.db,
			`SELECT f.name FROM person_endpoints x JOIN endpoint_facts f ON f.endpoint_id = x.endpoint_id AND f.until > @at WHERE x.person_id = @id`,
			{ at: h.lab.now, id: numberOf('anna') }
		)!.name
	);
	expect((await give(anna, 'fay')).warnings.map((w) => w.words).join()).toMatch(/^Anna Quill is on q-\d+$/);
	await h.carryOut('endpoint.shut-out', { endpoints: [anna], why: 'lost' });
	expect((await give(anna, 'fay')).blocks.map((b) => b.words).join()).toMatch(/stands in no branch/);
});
