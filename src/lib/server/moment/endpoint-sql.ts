import { asOf } from '../db/intervals';

/** Who holds a device back that asks for a certificate wrongly: until somebody has looked, rules do not let it in. */
export const SEXTANT = 'Sextant';

/**
 * How a device stands, by its spot `sp` and its state `st`, as SQL: one that stands nowhere waits to be let in, unless somebody has shut it out.
 */
export const ENDPOINT_STATE = `CASE WHEN sp.branch_id IS NOT NULL THEN st.state WHEN sp.by IS NULL OR sp.by = '${SEXTANT}' THEN 'waits' ELSE 'shut out' END`;

/**
 * Some branches with all below them at a moment, as SQL.
 * @param branches SQL for a list of ids
 */
export const withBelow = (branches: string, at = '@at'): string =>
	`(WITH RECURSIVE below(id) AS (SELECT b.id FROM branches b WHERE b.id IN ${branches} AND ${asOf('branches b', at)}
		UNION SELECT b.id FROM branches b JOIN below ON b.parent_id = below.id AND ${asOf('branches b', at)}) SELECT id FROM below)`;
