import { describe, expect, test } from 'vitest';
import { addressWith } from './address';

const url = (path: string) => new URL(path, 'http://sextant.example');

describe('the address of a view', () => {
	test('keeps what is not spoken of, drops what is null', () => {
		expect(addressWith(url('/watch?scope=site:bergen&list=people&card=person/a'), { card: null })).toBe(
			'/watch?scope=site:bergen&list=people'
		);
		expect(addressWith(url('/watch?list=people'), { plan: 12 })).toBe('/watch?list=people&plan=12');
	});
	test('writes a moment so that it can be read', () => {
		expect(addressWith(url('/'), { at: Date.UTC(2026, 10, 17, 13, 5) })).toBe('/?at=2026-11-17T13:05:00Z');
	});
	test('to another view keeps scope, moment and plan, and leaves its own things behind', () => {
		expect(
			addressWith(
				url('/watch?scope=site:bergen&at=2026-11-17T13:05:00Z&plan=3&list=people&sort=name&card=person/a'),
				{},
				'/fix'
			)
		).toBe('/fix?scope=site:bergen&at=2026-11-17T13:05:00Z&plan=3');
	});
	test('stays readable, and reads back', () => {
		const made = addressWith(url('/'), { scope: 'pool:"Chart Studio" signin>60s -team:x', card: 'version/desk/1.0.0' });
		expect(made).toContain('card=version/desk/1.0.0');
		expect(url(made).searchParams.get('scope')).toBe('pool:"Chart Studio" signin>60s -team:x');
	});
});
