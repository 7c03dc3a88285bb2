import * as v from 'valibot';
import { ATTACH_MODES } from '$lib/core/packages/attach';
import { ATTACH_CAUSES } from '$lib/core/packages/attaching';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { deliveryStatesAt } from './delivery';

export const deliveries = shortList({
	name: 'deliveries',
	words: 'Package versions that pools have, and how they stand on their machines',
	card: 'delivery',
	row: v.strictObject({
		id: text,
		pool: text,
		poolName: text,
		site: text,
		siteName: text,
		package: text,
		version: text,
		mode: v.picklist(ATTACH_MODES),
		since: moment,
		by: text,
		up: whole,
		attached: whole,
		attaching: whole,
		open: whole,
		people: whole,
		old: v.array(v.strictObject({ version: text, people: whole })),
		failing: v.array(v.strictObject({ cause: v.picklist(ATTACH_CAUSES), machines: whole }))
	}),
	rows: (db, at) => deliveryStatesAt(db, at).map((d) => ({ id: `${d.pool}/${d.package}`, ...d }))
});
