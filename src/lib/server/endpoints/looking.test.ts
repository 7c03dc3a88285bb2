import { beforeAll, describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { sectionOf } from '$lib/core/why/card';
import { one } from '../db';
import { cardOf } from '../house/cards';
import type { Caller } from '../identity/caller';
import { withDesks } from '../testing/estates';
import { askApi, serveFrom } from '../testing/pages';
import { Harness, OWNER, testEstate } from '../testing/harness';
import { LOOK_LASTS, looksAt, mayLook, noteLook, screenOf } from './looking';

/** Anna and others of the Quay are at work, each at a box. */
let h: Harness;
let anna: number;
beforeAll(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			withDesks(e);
			e.directory.people.find((p) => p.login === 'anna')!.name = 'Anna <b>&amp; Co';
		})
	);
	serveFrom(h);
	for (let i = 0; i < 40 && !on('anna'); i++) await h.live(30 * MINUTE, 20_000);
	anna = on('anna')!;
});
const on = (login: string) =>
	one<{ id: number }>(
		h.db,
		`SELECT s.endpoint_id AS id FROM endpoint_states s JOIN people p ON p.id = s.person_id WHERE p.login = ? AND s.until > ?`,
		[login, h.lab.now]
	)?.id;
const answers = (answer: 'yes' | 'no' | 'nobody') => {
	h.ctx.providers.endpoints.ask = async () => answer;
};
const ask = async (why = 'You rang about the chart that stays grey.') =>
	h.carryOut('endpoint.look', { endpoint: anna, why });
const card = (at = h.lab.now, live = true) => cardOf(h.ctx, 'endpoint', String(anna), { at, live });

describe('looking at a screen', () => {
	test('takes a yes: who asks alone may look, for a while; it stands on the card', async () => {
		expect(mayLook(h.db, anna, OWNER.id, h.lab.now)).toBeNull();
		answers('yes');
		const plan = await h.draft('endpoint.look', { endpoint: anna, why: 'Is it grey?' });
		expect(plan.effects.people).toMatchObject([{ id: 'anna', how: 'is asked whether you may look' }]);
		expect(plan.reasons[0]!.words).toBe('Is it grey?');
		expect((await h.finish(await h.commit(plan.id), 1000)).state).toBe('done');
		const [look] = looksAt(h.db, anna, h.lab.now, 5);
		expect(look).toMatchObject({ login: 'anna', answer: 'yes', why: 'Is it grey?', operator: OWNER.id });
		expect(mayLook(h.db, anna, OWNER.id, h.lab.now)).not.toBeNull();
		expect(mayLook(h.db, anna, OWNER.id + 1, h.lab.now)).toBeNull();
		expect(mayLook(h.db, anna, OWNER.id, look!.ends - 1)).not.toBeNull();
		expect(mayLook(h.db, anna, OWNER.id, look!.ends)).toBeNull();
		expect(look!.ends - look!.asked).toBeGreaterThanOrEqual(LOOK_LASTS);

		const asks = (caller: Caller) =>
			askApi(h, 'GET', `/api/v1/endpoint-screens/${anna}`, undefined, caller).then((a) => a.status);
		expect(await asks(OWNER)).toBe(200);
		expect(await asks({ ...OWNER, id: OWNER.id + 1 })).toBe(404);
		expect(await asks({ ...OWNER, kind: 'token' })).toBe(404);

		const svg = await screenOf(h.ctx, anna);
		expect(svg).toContain('Anna &lt;b&gt;&amp;amp; Co');
		expect(svg).toMatch(/quay-\d+/);
		expect(sectionOf((await card())!, 'screen')).toMatchObject({ href: `/api/v1/endpoint-screens/${anna}` });
		expect(sectionOf((await card(h.lab.now, false))!, 'screen')).toBeUndefined();
		expect(sectionOf((await card(look!.ends + 1))!, 'screen')).toBeUndefined();
	});

	test('is each operator’s own: what another was told at the same time changes nothing', async () => {
		answers('yes');
		expect((await ask()).state).toBe('done');
		const [yes] = looksAt(h.db, anna, h.lab.now, 1);
		const other = { operator: OWNER.id + 1, by: 'Another', why: 'x', answer: 'no' as const };
		const person = one<{ id: number }>(h.db, `SELECT id FROM people WHERE login = 'anna'`)!.id;
		noteLook(h.db, { endpoint: anna, person, ...other, asked: yes!.asked, answered: yes!.answered });
		expect(mayLook(h.db, anna, OWNER.id, h.lab.now)).not.toBeNull();
		expect(sectionOf((await card())!, 'screen')).toBeDefined();
	});

	test('ends when whoever said yes gets up', async () => {
		answers('yes');
		await ask();
		expect(mayLook(h.db, anna, OWNER.id, h.lab.now)).not.toBeNull();
		await h.carryOut('endpoint.lock', { endpoints: [anna] });
		expect(mayLook(h.db, anna, OWNER.id, h.lab.now)).toBeNull();
		const blocked = await h.draft('endpoint.look', { endpoint: anna, why: 'Again' });
		expect(blocked.blocks.map((b) => b.words)).toEqual(['nobody is on it: there is nobody to ask']);
		for (let i = 0; i < 40 && on('anna') !== anna; i++) await h.live(MINUTE, 20_000);
		// Back at it, she has not been asked.
		const [last] = looksAt(h.db, anna, h.lab.now, 1);
		expect(last!.ends).toBeGreaterThan(h.lab.now);
		expect(mayLook(h.db, anna, OWNER.id, h.lab.now)).toBeNull();
	});

	test.each([
		['no', /said no$/],
		['nobody', /did not answer$/]
	] as const)('is refused by “%s”: the job says so, and it is on record', async (answer, words) => {
		answers(answer);
		const job = await ask();
		expect(job.state).toBe('failed');
		expect(job.error).toMatch(words);
		expect(looksAt(h.db, anna, h.lab.now, 1)[0]).toMatchObject({ answer });
		expect(mayLook(h.db, anna, OWNER.id, h.lab.now)).toBeNull();
		const lines = (await card())!.sections.flatMap((s) =>
			s.kind === 'lines' && s.title.startsWith('Who asked') ? s.lines : []
		);
		expect(lines[0]!.note).toMatch(words);
	});

	test.each([
		['that runs', '<svg xmlns="http://www.w3.org/2000/svg"><script>alert(1)</script></svg>'],
		['with an event', '<svg onload="alert(1)"><rect/></svg>'],
		['that fetches', '<svg><image href="http://elsewhere.example/x.png"/></svg>'],
		['that fetches by a style', '<svg><rect fill="url(http://elsewhere.example/#a)"/></svg>'],
		['with entities', '<!DOCTYPE svg [<!ENTITY a "aaaa">]><svg><text>&a;</text></svg>'],
		['with another document in it', '<svg><foreignObject><body/></foreignObject></svg>'],
		['that is none', 'hello'],
		['that is broken', '<svg><rect></svg>'],
		['that is very large', `<svg>${' '.repeat(4_000_001)}</svg>`],
		['that is no text', { svg: true }]
	])('shows no picture %s', async (_, svg) => {
		const own = h.ctx.providers.endpoints.screen;
		h.ctx.providers.endpoints.screen = async () => svg as string;
		await expect(screenOf(h.ctx, anna)).rejects.toThrow(/no picture that can be looked at/);
		h.ctx.providers.endpoints.screen = own;
	});

	test('asks nobody at a device that sleeps', async () => {
		await h.live(14 * HOUR, 60_000);
		const blocked = await h.draft('endpoint.look', { endpoint: anna, why: 'Late' });
		expect(blocked.blocks.map((b) => b.words)).toEqual(['it sleeps']);
	});
});
