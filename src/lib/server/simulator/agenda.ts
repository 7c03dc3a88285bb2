import { pushTimed } from './queue';
import type { Happening, World } from './state';

/** Spreads the keys of `Omit` over each member of a union. */
type Without<T, K extends PropertyKey> = T extends unknown ? Omit<T, K> : never;
export type Due = Without<Happening, 't' | 'n'>;

/** Puts something into the world's queue. */
export function schedule(world: World, t: number, happening: Due): void {
	pushTimed(world.queue, { ...happening, t, n: world.nextHappening++ } as Happening);
}
