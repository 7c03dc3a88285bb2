import type { Manifest } from '../manifest';
import { powerMinute } from './power';

export const manifest: Manifest = {
	name: 'pools',
	chores: (ctx, seen) => [
		{
			name: 'power policies',
			every: 'minute',
			run: (now) => ctx.db.transaction(() => powerMinute(ctx, seen().machines, now)).immediate()
		}
	]
};
