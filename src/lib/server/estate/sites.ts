import type { Db } from '../db';
import { openAt } from '../db/intervals';
import { insertRow, type IfThere } from '../db/rows';

/** A site as it is written down: what it is called, of which kind, in which zone, and its links to others. */
export interface SiteToWrite {
	id: string;
	name: string;
	kind: string;
	timeZone: string;
	links: unknown[];
}

/** Writes a site, `position` in the order of all, joined up at a moment. */
export function writeSite(db: Db, s: SiteToWrite, position: number, at: number): void {
	const { id, name, kind, timeZone, links } = s;
	insertRow(db, 'sites', {
		id,
		name,
		kind,
		time_zone: timeZone,
		position,
		links: JSON.stringify(links),
		joined_at: at
	});
}

/** Writes a network of a site; `first` and `last` are addresses as numbers. */
export function writeNetwork(
	db: Db,
	site: string,
	n: { id: string; range: string; first: number; last: number }
): void {
	const { id, range, first, last } = n;
	insertRow(db, 'networks', { id, site_id: site, range, first, last });
}

/** Writes a host of a site; its memory in bytes, its price for an hour in euros. */
export function writeHost(
	db: Db,
	site: string,
	h: { name: string; cores: number; memory: number; gpus: number },
	priceHour: number,
	ifThere: IfThere = 'fail'
): void {
	const { name, cores, memory, gpus } = h;
	const price_hour = Math.round(priceHour * 100);
	insertRow(db, 'hosts', { name, site_id: site, cores, memory, gpus, price_hour }, ifThere);
}

/** Writes a gateway that stands at a site, with its ports as they are. */
export function writeGateway(
	db: Db,
	site: string,
	g: { id: string; address: string; protocols: { name: string; announced: number; listens: number }[] },
	at: number
): void {
	insertRow(db, 'gateways', { id: g.id, site_id: site, address: g.address });
	for (const { name: protocol, announced, listens } of g.protocols)
		openAt(db, 'gateway_ports', { gateway_id: g.id, protocol, announced, listens }, at);
}

/** Writes a volume of a site; its size in bytes, its price for a terabyte and month in euros. */
export function writeVolume(
	db: Db,
	site: string,
	v: { id: string; size: number; iops: number },
	priceMonth: number
): void {
	const { id, size, iops } = v;
	insertRow(db, 'volumes', { id, site_id: site, size, iops, price_tb_month: Math.round(priceMonth * 100) });
}
