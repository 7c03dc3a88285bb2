import type { Channel, Conditions } from '$lib/core/access/decide';
import { all, type Db } from '../db';

export interface PublicationRow {
	id: string;
	name: string;
	internalName: string;
	icon: string;
	pools: string[];
	protocol: string;
	/** The app of a package that it opens; null for a desktop. */
	app: { package: string; target: string } | null;
}

/** The publications as they were at a moment, in their order. */
export function publicationsAt(db: Db, at: number): PublicationRow[] {
	return all<{ id: string; name: string; internal_name: string; icon: string; pools: string; protocol: string }>(
		db,
		'SELECT * FROM publications WHERE since <= ? AND until > ? ORDER BY position, name',
		[at, at]
	).map((p) => ({
		id: p.id,
		name: p.name,
		internalName: p.internal_name,
		icon: p.icon,
		pools: JSON.parse(p.pools) as string[],
		protocol: p.protocol,
		app: null
	}));
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
		since: number;
	}>(
		db,
		`SELECT g.id, g.publication_id, pub.name AS publication_name, g.team_id, g.person_id, p.login, coalesce(t.name, p.name) AS to_name, g.conditions, g.channels, g.since
		 FROM grants g JOIN publications pub ON pub.id = g.publication_id AND pub.since <= ?1 AND pub.until > ?1
		 LEFT JOIN teams t ON t.id = g.team_id LEFT JOIN people p ON p.id = g.person_id
		 WHERE g.since <= ?1 AND g.until > ?1 ORDER BY pub.position, g.id`,
		{ 1: at }
	).map((g) => ({
		id: g.id,
		publication: g.publication_id,
		publicationName: g.publication_name,
		toKind: g.team_id !== null ? 'team' : 'person',
		toId: g.team_id ?? String(g.person_id),
		toLogin: g.login,
		toName: g.to_name,
		conditions: JSON.parse(g.conditions) as Conditions,
		channels: JSON.parse(g.channels) as Channel[],
		since: g.since
	}));
}
