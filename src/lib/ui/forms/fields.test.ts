import fc from 'fast-check';
import { render } from 'svelte/server';
import { describe, expect, test } from 'vitest';
import MeasureField from './MeasureField.svelte';
import PickField from './PickField.svelte';
import WhenField from './WhenField.svelte';
import { SIZE } from './measures';
import { Unread } from './unread';

const NOW = Date.UTC(2026, 10, 17, 12);
const when = (value: string, zone: string, time = true) =>
	render(WhenField, { props: { label: 'First time', value, zone, now: NOW, time, name: 'on' } }).body;

describe('a field for a moment', () => {
	test('shows it with its weekday, and keeps it as ISO', () => {
		const html = when('2026-11-17T14:30', 'Asia/Kolkata');
		expect(html).toContain('Tue 17 Nov 2026 14:30');
		expect(html).toContain('value="2026-11-17T14:30"');
		expect(html).toContain('Asia/Kolkata');
	});

	test.each(['2026-02-30', '2026-13-45', '0000-00-00', '2026-02-30T25:61', 'soon', '9'.repeat(5000), '<b>now</b>'])(
		'%j stays as it is written, and what to write stands beside it',
		(value) => {
			for (const time of [true, false]) {
				const html = when(value, 'UTC', time);
				expect(html).toMatch(/Write a (moment|day) such as/);
				expect(html).not.toContain('<b>now');
			}
		}
	);

	test('stands whatever its zone and its value are', () =>
		fc.assert(
			fc.property(fc.string(), fc.string(), fc.boolean(), (value, zone, time) => {
				expect(when(value, zone, time)).toContain('First time');
			}),
			{ numRuns: 60 }
		));
});

test('a field for a measure shows it in words, or what could not be made out with what to write', () => {
	const of = (value: number | Unread) =>
		render(MeasureField, { props: { label: 'Memory', measure: SIZE, value } }).body;
	expect(of(24e9)).toContain('24 GB');
	const html = of(new Unread('24 G', SIZE.problem));
	expect(html).toContain('value="24 G"');
	expect(html).toContain('Write a size such as 24 GB.');
	expect(html).toContain('aria-invalid="true"');
});

describe('a field that picks one of many', () => {
	const pick = (value: string, options: { id: string; name: string }[]) =>
		render(PickField, { props: { label: 'Team', value, options, name: 'team', none: 'any team' } }).body;

	test('shows what is chosen by its name and sends what it is kept as', () => {
		const html = pick('nav', [{ id: 'nav', name: '航法チーム' }]);
		expect(html).toContain('航法チーム');
		expect(html).toContain('value="nav"');
	});

	test('says what nothing chosen means; one that is gone is shown as it is kept', () => {
		expect(pick('', [])).toContain('any team');
		expect(pick('gone', [])).toContain('value="gone"');
	});
});
