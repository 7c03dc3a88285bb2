import { MACHINE_STATES } from '../providers';
import { FOREVER } from '$lib/core/time/units';
import { all, type Db } from '../db';
import { sitesOf } from '../estate';
import { teamsByName } from '../directory';
import { poolsAt } from '../pools';
import { publicationsAt } from '../publications';

/** What the scope line and the menu call things by, at a moment: by facet. */
export const namesAt = (db: Db, at: number) => ({
	site: sitesOf(db).map(({ id, name }) => ({ id, name })),
	pool: poolsAt(db, at).map((p) => ({ id: p.id, name: p.name })),
	team: teamsByName(db),
	line: all<{ id: string; name: string }>(db, 'SELECT id, name FROM lines ORDER BY position'),
	publication: publicationsAt(db, at).map((p) => ({ id: p.id, name: p.internalName })),
	gateway: all<{ id: string; name: string }>(db, 'SELECT id, id AS name FROM gateways ORDER BY id'),
	protocol: all<{ id: string; name: string }>(
		db,
		`SELECT DISTINCT protocol AS id, protocol AS name FROM gateway_ports WHERE until = ${FOREVER} ORDER BY 1`
	),
	state: MACHINE_STATES.map((s) => ({ id: s, name: s }))
});
