import type { Manifest } from '../manifest';
import { personCard } from './cards';

export const manifest: Manifest = { name: 'people', cards: { person: personCard } };
