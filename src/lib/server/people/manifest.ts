import type { Manifest } from '../manifest';
import { teams } from './lists';
import { personCard } from './cards';

export const manifest: Manifest = { name: 'people', cards: { person: personCard }, lists: [teams] };
