import { conditionsWords } from '$lib/core/access/decide';
import { countWords } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import type { Card, CardLine } from '$lib/core/why/card';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { asOf } from '../db/intervals';
import { all, one } from '../db';
import type { Then } from '../things/catalogue';
import { grantsAt } from '../publications';
import { connectionsOf } from '../watch';
import { personCalled } from './directory';
import { type Membership, membershipsOf } from './teams';

export function personCard({ db }: Context, login: string, { at }: Then): Card | null {
	const p = one<{
		id: number;
		name: string;
		login: string;
		site: string;
		pattern: string;
		managed: number;
		profile: number;
		address: string;
		site_id: string;
	}>(db, 'SELECT pe.*, s.name AS site FROM people pe JOIN sites s ON s.id = pe.site_id WHERE pe.login = ?', [login]);
	if (!p) return null;
	const { teams: above, zone } = personCalled(db, login, at)!;
	const memberships = membershipsOf(db, p.id, at);
	const grants = grantsAt(db, at).filter((g) =>
		g.toKind === 'team' ? above.includes(g.toId) : g.toId === String(p.id)
	);
	const open = all<{ id: number; machine: string; since: number }>(
		db,
		`SELECT s.id, m.name AS machine, s.since FROM sessions s JOIN machines m ON m.id = s.machine_id WHERE s.person_id = ? AND ${asOf('sessions s', '?')}`,
		[p.id, at, at]
	);
	const connections = connectionsOf(db, p.id, at, 25);
	const lost = connections.filter((c) => c.result !== 'open');
	return {
		kind: 'person',
		id: login,
		title: p.name,
		sub: open.length ? `on ${open.map((s) => s.machine).join(', ')}` : 'not signed in',
		rows: [
			...memberships
				.filter((m) => m.until > at)
				.map((m) => ({ name: m.home ? 'home team' : 'also in', value: m.name, scope: `team:${m.team}` })),
			{ name: 'site', value: p.site, scope: `site:${p.site_id}` },
			{ name: 'works', value: p.pattern },
			{ name: 'endpoint', value: `${p.managed ? 'managed' : 'their own'}, ${p.address}` },
			...open.map((s) => ({ name: 'session', value: s.machine, card: `session/${s.id}` }))
		],
		facts: [
			...grants.map((g): Fact => ({
				words: `${g.publicationName}, by the grant to ${g.toName}: ${conditionsWords(g.conditions)}`,
				side: 'for',
				source: 'grants',
				about: { kind: 'grant', id: String(g.id), name: `grant ${g.id}` }
			})),
			...(grants.length === 0
				? [{ words: 'no grant reaches this person', side: 'against' as const, source: 'grants' }]
				: []),
			...(lost.length
				? [
						{
							words: `${countWords(lost.length, 'connection')} of the last ${connections.length} came to nothing`,
							side: 'against' as const,
							source: 'connections'
						}
					]
				: [])
		],
		actions: open.length
			? [
					{
						words: 'Message',
						kind: 'session.message',
						input: { sessions: open.map((s) => s.id) },
						ask: { field: 'text', words: 'What they should read' }
					},
					{ words: 'Sign out', kind: 'session.sign-out', input: { sessions: open.map((s) => s.id) } }
				]
			: [],
		sections: [
			...(memberships.length > 1
				? [
						{
							kind: 'lines' as const,
							title: 'Teams, now and before',
							lines: memberships.map((m) => membershipLine(m, at, zone))
						}
					]
				: []),
			{ kind: 'connections', connections }
		]
	};
}

function membershipLine(m: Membership, at: number, zone: string): CardLine {
	const from = m.since > 0 ? `since ${momentWords(zone, m.since)}` : '';
	const note = m.until <= at ? `until ${momentWords(zone, m.until)}` : from;
	return { words: m.home ? `${m.name}, home team` : m.name, ...(note ? { note } : {}) };
}
