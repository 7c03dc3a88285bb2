import type { Need } from '$lib/core/why/need';
import type { Db } from '../db';
import type { Manifest } from '../manifest';
import { nobodyYet } from './found';

/** Where nobody has ever been at work, that is what Today begins with. */
const firstNeeds = (db: Db, at: number): Need[] =>
	nobodyYet(db, at)
		? [
				{
					key: 'first-desktop',
					people: 0,
					count: 1,
					unit: 'first desktop',
					tone: 'sand',
					title: 'Nobody works here yet',
					facts: [{ words: 'the way from nothing to the first desktop is worked out step by step', source: 'estate' }],
					card: null,
					href: '/first',
					plan: null,
					since: at,
					about: {}
				}
			]
		: [];

export const manifest: Manifest = { name: 'first', needs: firstNeeds };
