import type { Manifest } from '../manifest';

export const manifest: Manifest = { name: 'publications' };
