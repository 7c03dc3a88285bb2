import type { Manifest } from '../manifest';
import { teams } from './lists';
import { learnMembers } from './learning';
import { personCard } from './cards';

export const manifest: Manifest = {
	name: 'people',
	cards: { person: personCard },
	lists: [teams],
	chores: (ctx) => [{ name: 'the directory', every: 'minute', run: () => learnMembers(ctx) }]
};
