import { asOf } from '../db/intervals';
import { all, type Db } from '../db';

/** The sites that were joined up at a moment, with how many hosts and machines stand there. */
export const joinedSites = (
	db: Db,
	at: number
): { id: string; name: string; kind: string; zone: string; hosts: number; machines: number }[] =>
	all(
		db,
		`SELECT s.id, s.name, s.kind, s.time_zone AS zone, (SELECT count(*) FROM hosts h WHERE h.site_id = s.id) AS hosts,
		 (SELECT count(*) FROM machines m WHERE m.site_id = s.id AND ${asOf('machines m')}) AS machines
		 FROM sites s WHERE s.joined_at <= @at ORDER BY s.position`,
		{ at }
	);
