import type { Claims } from '$lib/core/packages/attaching';
import type { WishedPackage } from '../providers';
import type { SimPackages, World } from './state';

/** What the agents know of packages at the beginning: nothing. */
export const noPackages = (): SimPackages => ({
	wishes: { pools: {}, packages: [] },
	lacks: new Map(),
	stored: new Map(),
	warm: new Map(),
	runs: new Map(),
	nextRun: 1,
	overlays: new Map()
});

export const wished = (w: World, name: string, version: string): WishedPackage | undefined =>
	w.packages.wishes.packages.find((p) => p.package === name && p.version === version);

/** What a version wants for itself alone; null where that is nothing. */
export function claimsOf(w: World, name: string, version: string): Claims | null {
	const p = wished(w, name, version);
	return p && p.services.length + p.ports.length > 0 ? p : null;
}
