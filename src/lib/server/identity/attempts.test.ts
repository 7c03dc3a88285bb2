import { afterEach, beforeEach, expect, test, vi } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { one, openDb, type Db } from '../db';
import { noteAttempt, tooMany } from './attempts';

let db: Db;
beforeEach(() => {
	vi.useFakeTimers({ now: Date.UTC(2026, 10, 17, 9) });
	db = openDb(':memory:');
});
afterEach(() => {
	db.close();
	vi.useRealTimers();
});
const fail = (who: string, times: number) => {
	for (let i = 0; i < times; i++) noteAttempt(db, who);
};

test('eight wrong answers within ten minutes shut a login from an address, and no other', () => {
	fail('owner 10.0.0.1', 7);
	expect(tooMany(db, 'owner 10.0.0.1')).toBe(null);
	fail('owner 10.0.0.1', 1);
	expect(tooMany(db, 'owner 10.0.0.1')).toEqual({ outcome: 'too many', waitMinutes: 10 });
	expect(tooMany(db, 'owner 10.0.0.2')).toBe(null);
	expect(tooMany(db, 'builder 10.0.0.1')).toBe(null);
});

test('the wait runs from the first of them, and then it is open again', () => {
	fail('owner', 1);
	vi.advanceTimersByTime(4 * MINUTE);
	fail('owner', 7);
	expect(tooMany(db, 'owner')).toEqual({ outcome: 'too many', waitMinutes: 6 });
	vi.advanceTimersByTime(5.5 * MINUTE);
	expect(tooMany(db, 'owner')).toEqual({ outcome: 'too many', waitMinutes: 1 });
	vi.advanceTimersByTime(MINUTE);
	expect(tooMany(db, 'owner')).toBe(null);
});

test('attempts of long ago are not kept', () => {
	fail('owner', 5);
	vi.advanceTimersByTime(11 * MINUTE);
	fail('builder', 1);
	expect(one(db, 'SELECT count(*) AS n FROM sign_in_attempts')).toEqual({ n: 1 });
});
