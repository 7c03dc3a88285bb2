import { expect, test } from 'vitest';
import { effectWords, noEffects, outlineOf, whatGotWorse } from './effects';

const person = (id: string) => ({ kind: 'person', id, name: id.toUpperCase() });

test('effects read as short clauses, nothing left out as nothing', () => {
	expect(
		effectWords({
			...noEffects(),
			people: [person('a'), person('b')],
			bytes: 2.9e9,
			cost: { before: 1000, after: 251_000 }
		})
	).toEqual(['2 people affected', '2.9 GB', 'about 1 s', '+€ 2,500 a month']);
});

test('somebody new, another machine, or a fifth more is worse; fewer is not', () => {
	const before = { ...noEffects(), people: [person('a'), person('b')], bytes: 100, cost: { before: 0, after: 10_000 } };
	expect(whatGotWorse(before, before)).toEqual([]);
	expect(whatGotWorse(before, { ...before, people: [person('a')] })).toEqual([]);
	expect(whatGotWorse(before, { ...before, people: [person('a'), person('c')] }).map((f) => f.words)).toEqual([
		'C would now be affected'
	]);
	expect(whatGotWorse(before, { ...before, bytes: 130 })).toHaveLength(1);
	expect(whatGotWorse(before, { ...before, bytes: 110 })).toHaveLength(0);
	expect(whatGotWorse(before, { ...before, cost: { before: 0, after: 20_000 } })).toHaveLength(1);
	expect(whatGotWorse(before, { ...before, duration: { middle: 1, ninety: 400_000 } })).toHaveLength(1);
});

test('an outline counts all, and names the first', () => {
	const many = Array.from({ length: 20_000 }, (_, i) => person(`p${i}`));
	const facts = many.map((p) => ({ words: `${p.name} is left out` }));
	const outline = outlineOf({
		title: 'Turn all of them off',
		effects: { ...noEffects(), people: many, machines: many },
		warnings: facts,
		blocks: [],
		reasons: facts,
		undoWords: 'Yes.'
	});
	expect(outline).toMatchObject({ title: 'Turn all of them off', blocks: [], undoWords: 'Yes.' });
	expect(outline.effects).toEqual(effectWords({ ...noEffects(), people: many, machines: many }));
	expect(outline.people.count).toBe(20_000);
	expect(outline.people.first.slice(0, 2)).toEqual(['P0', 'P1']);
	expect(outline.reasons[0]).toEqual(facts[0]);
	expect(JSON.stringify(outline).length).toBeLessThan(10_000);
	// Without a name, what it is kept as.
	expect(
		outlineOf({ ...outline, effects: { ...noEffects(), people: [{ kind: 'person', id: 'eve' }] } }).people
	).toEqual({
		count: 1,
		first: ['eve']
	});
});
