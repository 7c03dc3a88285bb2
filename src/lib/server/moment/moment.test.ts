import { describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { openDb, run } from '../db';
import { atMoment, sampledAt } from '../samples/read';
import { asKnown, lookOf } from './index';

const NOW = Date.parse('2026-11-17T13:32:20Z');
const db = openDb(':memory:');
run(
	db,
	`INSERT INTO sites VALUES ('bergen', 'Bergen', 'office', 'UTC', 0, '[]', 0), ('hal', 'Halifax', 'office', 'UTC', 1, '[]', 0)`
);
run(db, `INSERT INTO teams(id, name, parent_id) VALUES ('crew', 'Экипаж', NULL)`);
run(db, `INSERT INTO people(id, login, name, profile, address) VALUES (1, 'ñuñez', 'Ana Ñuñez', 0, '10.0.0.1')`);
const clock = { now: () => NOW, speed: () => 1 };
const look = (query: string) => lookOf(new URL(`http://localhost/watch${query}`), { clock, db });

describe('what a view looks at', () => {
	test('without a moment it is live, and everything is in scope', () => {
		expect(look('')).toMatchObject({ at: NOW, live: true, future: false, problems: [], scope: { terms: [] } });
	});
	test('a moment as ISO or milliseconds, behind or ahead', () => {
		expect(look('?at=2026-11-17T08:00Z')).toMatchObject({
			at: Date.parse('2026-11-17T08:00Z'),
			live: false,
			future: false
		});
		const ahead = look(`?at=${NOW + MINUTE}`);
		expect(ahead).toMatchObject({ live: false, future: true });
		expect(asKnown(ahead)).toBe(NOW);
		expect(asKnown(look('?at=2026-11-17T08:00Z'))).toBe(Date.parse('2026-11-17T08:00Z'));
	});
	test('a moment that is none is said, and the present shown', () => {
		const wrong = look('?at=yesterday');
		expect(wrong).toMatchObject({ at: NOW, live: true });
		expect(wrong.problems[0]!.words).toMatch(/“yesterday” is not a moment/);
	});
	test('a name stands for what is called so; what there is not is said, with the nearest', () => {
		const terms = (scope: string) => look(`?scope=${encodeURIComponent(scope)}`);
		expect(terms('site:Halifax team:экипаж person:"Ana Ñuñez"')).toMatchObject({
			problems: [],
			scope: { terms: [{ values: ['hal'] }, { values: ['crew'] }, { values: ['ñuñez'] }] }
		});
		expect(terms('site:bregen').problems[0]!.words).toBe('There is no site “bregen”; the nearest is “Bergen”.');
		expect(terms('site:nowhere').problems[0]!.words).toBe('There is no site “nowhere”.');
		expect(terms('person:ñuñe').problems[0]!.words).toMatch(/the nearest is “ñuñez”/);
	});
	test.each(['+275760-09-13T00:00Z', '1e300', '99999999999999999999', '-5', '0'])('the moment %s is none', (at) =>
		expect(look(`?at=${encodeURIComponent(at)}`).problems[0]!.words).toMatch(/is not a moment within reach/)
	);
	test('a scope that cannot be read is said, and the rest counts', () => {
		const l = look(`?scope=${encodeURIComponent('site:bergen colour:red signin>soon')}`);
		expect(l.scope.terms).toHaveLength(1);
		expect(l.problems).toHaveLength(2);
		expect(l.scopeText).toBe('site:bergen colour:red signin>soon');
	});
});

describe('the samples that hold at a moment', () => {
	test('are the minute’s while minutes are kept, then the quarter hour’s', () => {
		const db = openDb(':memory:');
		expect(sampledAt(NOW)).toBe(Date.parse('2026-11-17T13:32:00Z'));
		expect(atMoment(db, NOW)).toMatchObject({ quarter: Date.parse('2026-11-17T13:30:00Z') });
		run(db, 'INSERT INTO samples_1m VALUES (?, 1, 1, 1, 1, 1, 1, 1, 1, 1)', [sampledAt(NOW) - 10 * MINUTE]);
		expect(atMoment(db, NOW)).toEqual({ at: NOW, sampled: sampledAt(NOW), quarter: -1 });
		expect(atMoment(db, NOW - 10 * MINUTE).quarter).toBe(-1);
		expect(atMoment(db, NOW - 11 * MINUTE).quarter).toBe(Date.parse('2026-11-17T13:15:00Z'));
	});
});
