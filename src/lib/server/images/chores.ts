import type { Context } from '../context';
import type { Chore, Observed } from '../manifest';
import { machinesNotToMove } from '../pools';
import { Follower } from './follower';
import { learnStores } from './stores';

/** What image stores hold is asked now and then; machines take their versions minute by minute. */
export function imageChores(ctx: Context, seen: () => Observed): readonly Chore[] {
	const follower = new Follower(ctx, seen);
	return [
		{ name: 'what image stores hold', every: 'hour', run: () => learnStores(ctx) },
		{
			name: 'following versions',
			every: 'minute',
			run: (now) => follower.minute(now, machinesNotToMove(ctx)),
			stop: () => follower.stop()
		}
	];
}
