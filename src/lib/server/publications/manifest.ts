import type { Manifest } from '../manifest';
import { publicationEndpoints } from './endpoints';

export const manifest: Manifest = { name: 'publications', endpoints: publicationEndpoints };
