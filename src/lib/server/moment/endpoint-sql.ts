import { asOf } from '../db/intervals';

/** Who holds a device back that asks for a certificate wrongly: until somebody has looked, rules do not let it in. */
export const SEXTANT = 'Sextant';

/**
 * How a device stands, by its spot `sp` and its state `st`, as SQL: one that stands nowhere waits to be let in, unless somebody has shut it out.
 */
export const ENDPOINT_STATE = `CASE WHEN sp.branch_id IS NOT NULL THEN st.state WHEN sp.by IS NULL OR sp.by = '${SEXTANT}' THEN 'waits' ELSE 'shut out' END`;

/** What somebody asks from at a moment, as SQL: the device that they were on last, or what is kept for them before they have been on any. */
export const theirDevice = (person: string): string =>
	`coalesce((SELECT x.endpoint_id FROM person_endpoints x WHERE x.person_id = ${person} AND ${asOf('person_endpoints x')}),
		(SELECT min(k.endpoint_id) FROM kept_endpoints k WHERE k.person_id = ${person} AND ${asOf('kept_endpoints k')}))`;

/** Whether a device has a certificate at a moment that has not ended, and of which `holds` is true; `r`: what revoked it. */
const has = (endpoint: string, holds: string): string =>
	`EXISTS (SELECT 1 FROM endpoint_certificates c LEFT JOIN revoked_certificates r ON r.number = c.number AND r.at <= @at
		WHERE c.endpoint_id = ${endpoint} AND c.since <= @at AND c.ends > @at AND ${holds})`;

/**
 * What a device proves of itself at a moment, as SQL: whatever it was issued and has not ended is good, whether or not it was renewed since,
 * unless it was revoked.
 */
export const proofOf = (endpoint: string): string =>
	`CASE WHEN ${endpoint} IS NULL THEN 'none' WHEN ${has(endpoint, 'r.number IS NULL')} THEN 'good' WHEN ${has(endpoint, '1')} THEN 'revoked'
		WHEN EXISTS (SELECT 1 FROM endpoint_certificates c WHERE c.endpoint_id = ${endpoint} AND c.since <= @at) THEN 'ended' ELSE 'none' END`;

/**
 * Some branches with all below them at a moment, as SQL.
 * @param branches SQL for a list of ids
 */
export const withBelow = (branches: string, at = '@at'): string =>
	`(WITH RECURSIVE below(id) AS (SELECT b.id FROM branches b WHERE b.id IN ${branches} AND ${asOf('branches b', at)}
		UNION SELECT b.id FROM branches b JOIN below ON b.parent_id = below.id AND ${asOf('branches b', at)}) SELECT id FROM below)`;
