import { beforeEach, describe, expect, test } from 'vitest';
import { HOUR, MINUTE } from '$lib/core/time/units';
import { sectionOf } from '$lib/core/why/card';
import { cardOf } from '../house/cards';
import { LISTS } from '../house/lists';
import { searchFor } from '../house/search';
import { parseScope } from '$lib/core/scope/scope';
import { Harness, QUIET, testEstate } from '../testing/harness';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(testEstate('e2e/small.yaml', QUIET));
	await h.live(10 * MINUTE);
});
const write = (input: object) => h.carryOut('note.write', input);
const lines = async (at = h.lab.now) =>
	sectionOf((await cardOf(h.ctx, 'machine', 'quay-01', { at, live: true }))!, 'lines')?.lines.map((l) => l.words) ?? [];
const listed = (scope = '', at = h.lab.now) =>
	LISTS.get('notes')!
		.page(h.db, { at, scope: parseScope(scope).scope, sort: '', descending: false, limit: 10, offset: 0 })
		.rows.map((r) => r.text);

describe('a note', () => {
	test('stands on the card of what it is on, in the list, and is found by what it says', async () => {
		expect((await write({ about: 'machine/quay-01', text: ' The fan is loud: parts come on Monday ' })).state).toBe(
			'done'
		);
		expect(await lines()).toEqual(['The fan is loud: parts come on Monday']);
		expect(listed()).toEqual(['The fan is loud: parts come on Monday']);
		expect(listed('"parts come"')).toHaveLength(1);
		expect(listed('"moonlight"')).toHaveLength(0);
		expect(searchFor(h.db, 'fan is', h.lab.now)).toEqual([
			{ kind: 'note', id: '1', name: 'The fan is loud: parts come on Monday (quay-01)' }
		]);
		const other = (await cardOf(h.ctx, 'machine', 'quay-02', { at: h.lab.now, live: true }))!;
		expect(sectionOf(other, 'lines')).toBeUndefined();
		expect(other.actions.at(-1)).toMatchObject({ kind: 'note.write', input: { about: 'machine/quay-02' } });
	});

	test('keeps how it was worded, and by whom; a past view shows what it said then', async () => {
		await write({ about: 'machine/quay-01', text: 'Loud' });
		await h.live(HOUR);
		const then = h.lab.now;
		await write({ note: 1, text: 'Very loud' });
		await h.live(MINUTE);
		const card = (await cardOf(h.ctx, 'note', '1', { at: h.lab.now, live: true }))!;
		expect(card.facts.map((f) => f.words)).toEqual([
			expect.stringContaining('wrote “Very loud”'),
			expect.stringContaining('wrote “Loud”')
		]);
		expect(await lines(then)).toEqual(['Loud']);
		expect(listed('', then)).toEqual(['Loud']);
		await h.carryOut('note.remove', { note: 1 });
		expect(await lines()).toEqual([]);
		expect(await lines(then)).toEqual(['Loud']);
		expect(await cardOf(h.ctx, 'note', '1', { at: h.lab.now, live: true })).toBeNull();
	});

	test('is on anything that has a card, names in any script included, and on nothing else', async () => {
		for (const about of ['pool/quay', 'person/anna', 'site/isle', 'publication/desk', 'version/desk/1.0.0'])
			expect((await write({ about, text: 'Ħello, 李' })).state, about).toBe('done');
		expect(listed()).toHaveLength(5);
		for (const about of ['machine/moon', 'moon/1', 'machine', '', 'constructor/x'])
			await expect(write({ about, text: 'x' }), about).rejects.toMatchObject({ problems: [{ field: 'about' }] });
		await expect(write({ text: 'x' })).rejects.toMatchObject({ problems: [{ field: 'about' }] });
		await expect(write({ about: 'pool/quay', text: '  ' })).rejects.toMatchObject({ problems: [{ field: 'text' }] });
		for (const note of [99, 0, -1, 1e15, 1.5])
			await expect(write({ note, about: 'pool/quay', text: 'x' }), String(note)).rejects.toMatchObject({
				problems: [{ field: 'note' }]
			});
		await expect(h.carryOut('note.remove', { note: 99 })).rejects.toMatchObject({ problems: [{ field: 'note' }] });
	});

	test('that says so already is not written again', async () => {
		await write({ about: 'pool/quay', text: 'Same' });
		expect((await h.draft('note.write', { note: 1, text: 'Same' })).blocks[0]!.words).toBe('it says so already');
	});

	test('that was taken away is put back on what it was on, whatever is said', async () => {
		await write({ about: 'machine/quay-01', text: 'Loud' });
		await h.carryOut('note.remove', { note: 1 });
		await write({ note: 1, about: 'pool/quay', text: 'Loud again' });
		expect(await lines()).toEqual(['Loud again']);
		await write({ about: 'pool/quay', text: 'Another' });
		expect(LISTS.get('notes')!.idOf({ id: 2 })).toBe('2');
		expect(listed()).toEqual(['Another', 'Loud again']);
	});
});
