import type { Manifest } from '../manifest';
import { scimNeeds } from './guard';

export const manifest: Manifest = {
	name: 'scim',
	needs: scimNeeds
};
