import { beforeEach, describe, expect, test } from 'vitest';
import { MINUTE } from '$lib/core/time/units';
import { cardOf } from '../house/cards';
import { Harness, testEstate } from '../testing/harness';
import { reliedAt } from './queries';
import { contradictionsAt, relyingNeeds } from './relying';

let h: Harness;
beforeEach(async () => {
	h = await Harness.of(
		testEstate('e2e/small.yaml', (e) => {
			const service = (id: string) => ({
				id,
				name: id,
				hosts: [`${id}.testbay.example`],
				ports: ['443'],
				protocol: 'tcp' as const
			});
			e.access.services = [service('rosters'), service('ledger')];
			e.publications[0]!.relies_on = ['rosters'];
			e.access.rules = [
				{
					id: 'bo',
					name: '',
					decide: 'refuse',
					who: ['person/bo'],
					but: [],
					on: [],
					what: ['services'],
					except: [],
					from: [],
					through: []
				},
				{
					id: 'all',
					name: '',
					decide: 'factor',
					who: [],
					but: [],
					on: ['quay'],
					what: ['service/rosters'],
					except: [],
					from: [],
					through: []
				}
			];
		})
	);
	await h.live(MINUTE);
});

const said = () => contradictionsAt(h.db, h.lab.now).found.map((c) => c.words);

describe('grants that rules contradict', () => {
	test('are said with whom, what and by which rule: on Today and on the card of the publication', async () => {
		expect(said()).toEqual(['1 person is granted My desk and never reaches rosters, which it needs: rule 1 refuses']);
		expect(relyingNeeds(h.db, h.lab.now)).toMatchObject([
			{
				people: 1,
				unit: 'person',
				card: 'publication/desk',
				about: { publication: ['desk'] },
				title: '1 person is granted My desk and never reaches rosters',
				facts: [{ words: 'which it needs: rule 1 refuses, wherever they are, at every hour, on every device' }]
			}
		]);
		const card = (await cardOf(h.ctx, 'publication', 'desk', { at: h.lab.now, live: true }))!;
		expect(card.sections).toContainEqual({
			kind: 'lines',
			title: 'Private services that it needs',
			lines: [
				{ words: 'rosters', card: 'private-service/rosters', note: said()[0] },
				expect.objectContaining({ words: 'Say otherwise' })
			]
		});
	});
	test('are warned of by a draft that would bring them about, and not by one that leaves them', async () => {
		const shut = await h.draft('access-rules.change', { edits: [{ remove: 'all' }] });
		expect(shut.warnings.map((w) => w.words)).toContainEqual(
			expect.stringMatching(
				/^\d people are granted My desk and never reach rosters, which it needs: rule 1 and the end of the list refuse$/
			)
		);
		const other = await h.draft('access-rules.change', {
			edits: [{ put: { id: 'films', decide: 'refuse', what: ['site/films.example'] } }]
		});
		expect(other.warnings.map((w) => w.words).filter((w) => w.includes('granted'))).toEqual([]);
		await h.carryOut('access-rules.change', { edits: [{ remove: 'bo' }] });
		expect(said()).toEqual([]);
	});
	test('begin and end with what a publication is said to need', async () => {
		const plan = await h.draft('publication.relies-on', {
			publication: 'desk',
			services: ['ledger', 'rosters', 'ledger']
		});
		expect(plan.title).toBe('My desk needs ledger, rosters');
		// Nothing opens the ledger to anybody.
		expect(plan.warnings.map((w) => w.words)).toContainEqual(
			expect.stringMatching(/^\d people are granted My desk and never reach ledger, which it needs/)
		);
		expect((await h.finish(await h.commit(plan.id))).state).toBe('done');
		expect(said()).toHaveLength(2);
		expect((await h.draft('private-service.remove', { service: 'ledger' })).warnings.map((w) => w.words)).toEqual([
			'My desk needs it'
		]);
		await h.carryOut('publication.relies-on', { publication: 'desk', services: [] });
		expect([said(), reliedAt(h.db, h.lab.now).size]).toEqual([[], 0]);
		expect((await h.draft('publication.relies-on', { publication: 'desk', services: [] })).blocks).toHaveLength(1);
		await expect(h.draft('publication.relies-on', { publication: 'moon', services: [] })).rejects.toMatchObject({
			problems: [{ field: 'publication', words: 'There is no desktop or app moon.' }]
		});
		await expect(h.draft('publication.relies-on', { publication: 'desk', services: ['moon'] })).rejects.toMatchObject({
			problems: [{ field: 'services.0', words: 'There is no service moon.' }]
		});
	});
});
