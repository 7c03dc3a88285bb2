import type { Manifest } from '../manifest';
import { personCard } from './cards';
import { teams } from './lists';

export const manifest: Manifest = {
	name: 'people',
	cards: { person: personCard },
	lists: [teams]
};
