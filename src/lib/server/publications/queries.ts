import type { Protocol } from '$lib/core/estate/schema';
import type { Channel, Conditions } from '$lib/core/access/decide';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';
import { fromJson, fromJsonOrNull } from '../db/json';

export interface PublicationRow {
	id: string;
	name: string;
	internalName: string;
	icon: string;
	pools: string[];
	protocol: Protocol;
	/** What it opens of a package, or of an image (`image/<line>`); null for a desktop. */
	app: AppRef | null;
	/** What it opens in a browser alone, on no machine: `service/depot`, or `site/tides.example`; null: a desktop or an app. */
	reaches: string | null;
	description: string;
	look: Look;
	/** Teams that see it; none: whoever it is granted to. */
	visible: string[];
	off: boolean;
	/** Login of whoever answers requests for it; null: nobody can ask. */
	owner: string | null;
	/** How many people may hold it, and what happens beyond. */
	licences: number | null;
	beyond: 'warn' | 'block';
	since: number;
}

export interface AppRef {
	package: string;
	target: string;
}

/** How a publication comes up. */
export interface Look {
	window: 'window' | 'full';
	monitors: 'one' | 'all';
	/** Heading on the shelf that it stands under; empty for none. */
	group: string;
}

export const PLAIN_LOOK: Look = { window: 'window', monitors: 'one', group: '' };

/** The publications as they were at a moment, in their order. */
export function publicationsAt(db: Db, at: number): PublicationRow[] {
	return all<RawPublication>(
		db,
		`SELECT * FROM publications WHERE ${asOf('publications', '?')} ORDER BY position, name`,
		[at, at]
	).map((p) => ({
		id: p.id,
		name: p.name,
		internalName: p.internal_name,
		icon: p.icon,
		pools: fromJson<string[]>('publications.pools', p.pools),
		protocol: p.protocol,
		app: fromJsonOrNull<AppRef>('publications.app', p.app),
		reaches: p.reaches,
		description: p.description,
		look: {
			...(p.app === null ? { ...PLAIN_LOOK, window: 'full' } : PLAIN_LOOK),
			...fromJson<Partial<Look>>('publications.look', p.look)
		},
		visible: fromJson<string[]>('publications.visible', p.visible),
		off: p.off === 1,
		owner: p.owner,
		licences: p.licences,
		beyond: p.beyond,
		since: p.since
	}));
}

interface RawPublication {
	id: string;
	since: number;
	name: string;
	internal_name: string;
	icon: string;
	pools: string;
	protocol: Protocol;
	app: string | null;
	reaches: string | null;
	description: string;
	look: string;
	visible: string;
	off: number;
	owner: string | null;
	licences: number | null;
	beyond: 'warn' | 'block';
}

export interface GrantRow {
	id: number;
	publication: string;
	publicationName: string;
	toKind: 'team' | 'person';
	/** Team id, or the person's number. */
	toId: string;
	toLogin: string | null;
	toName: string;
	conditions: Conditions;
	channels: Channel[];
	/** Required ones stand on the shelf by themselves; optional ones are fetched. */
	kind: 'required' | 'optional';
	/** Personal machines that each person may have by it. */
	machines: number;
	since: number;
}

/** The grants as they were at a moment. */
export function grantsAt(db: Db, at: number): GrantRow[] {
	return all<{
		id: number;
		publication_id: string;
		publication_name: string;
		team_id: string | null;
		person_id: number | null;
		login: string | null;
		to_name: string;
		conditions: string;
		channels: string;
		kind: 'required' | 'optional';
		machines: number;
		since: number;
	}>(
		db,
		`SELECT g.id, g.publication_id, pub.name AS publication_name, g.team_id, g.person_id, p.login, coalesce(t.name, p.name) AS to_name, g.conditions, g.channels, g.kind, g.machines, g.since
		 FROM grants g JOIN publications pub ON pub.id = g.publication_id AND ${asOf('publications pub', '?1')}
		 LEFT JOIN teams t ON t.id = g.team_id LEFT JOIN people p ON p.id = g.person_id
		 WHERE ${asOf('grants g', '?1')} ORDER BY pub.position, g.id`,
		{ 1: at }
	).flatMap((g): GrantRow[] => {
		const conditions = fromJson<Conditions | null>('grants.conditions', g.conditions);
		// What it asks for cannot be read: nobody has anything by it.
		if (conditions === null) return [];
		return [
			{
				id: g.id,
				publication: g.publication_id,
				publicationName: g.publication_name,
				toKind: g.team_id !== null ? 'team' : 'person',
				toId: g.team_id ?? String(g.person_id),
				toLogin: g.login,
				toName: g.to_name,
				conditions,
				channels: fromJson<Channel[]>('grants.channels', g.channels),
				kind: g.kind,
				machines: g.machines,
				since: g.since
			}
		];
	});
}
