import { expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { Harness, testEstate } from '../testing/harness';
import { bookAt, groundAt } from './queries';
import { inForceAt } from './standing';

test('rules are read anew when anything that they are made of changes, and only then', async () => {
	const h = await Harness.of(testEstate('e2e/small.yaml'));
	await h.live(MINUTE);
	const changes: [kind: string, input: object][] = [
		['private-service.put', { name: 'Archive', hosts: ['archive.testbay.example'], ports: ['443'] }],
		['private-service.put', { id: 'archive', name: 'Archive', group: 'Stores', hosts: ['a.example'], ports: ['443'] }],
		['access-rules.change', { edits: [{ put: { id: 'a', decide: 'allow' } }, { put: { id: 'b', decide: 'refuse' } }] }],
		['access-rules.change', { edits: [{ move: 'b', before: 'a' }] }],
		['access-rules.change', { edits: [], otherwise: { web: 'refuse', services: 'refuse' } }],
		['site-categories.bring', { text: 'name,category\nfilms.example,Films\n' }],
		['site-categories.put', { sites: [{ name: 'shorts.example', category: 'films' }] }],
		['site-categories.put', { remove: ['films.example'] }],
		['branch.add', { name: 'Loft' }]
	];
	let last = inForceAt(h.db, h.lab.now);
	const seen = new Set([last]);
	for (const [kind, input] of changes) {
		await h.carryOut(kind, input);
		const now = h.lab.now;
		const next = inForceAt(h.db, now);
		expect([kind, seen.has(next)]).toEqual([kind, false]);
		expect(next.book).toEqual(bookAt(h.db, now));
		expect([...next.ground.catalogue.names]).toEqual([...groundAt(h.db, now).catalogue.names]);
		expect(next.ground.branches).toEqual(groundAt(h.db, now).branches);
		await h.live(MINUTE);
		expect(inForceAt(h.db, h.lab.now)).toBe(next);
		seen.add(next);
		last = next;
	}
	const past = inForceAt(h.db, h.lab.now - changes.length * 3 * MINUTE);
	expect(past).not.toBe(last);
	expect(past.book.rules.length).toBeLessThan(last.book.rules.length + 1);
});
