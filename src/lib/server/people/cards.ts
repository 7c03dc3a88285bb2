import type { DeviceProof } from '$lib/core/endpoints/proof';
import { conditionsWords } from '$lib/core/access/decide';
import { changeWords, lastDay, type PersonRecord, type Said } from '$lib/core/people/record';
import { countWords, FOREVER } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import type { Card, CardLine } from '$lib/core/why/card';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';
import { signInsOf } from '../identity/accounts';
import { hasFactor } from '../identity/factor';
import type { Then } from '../things/catalogue';
import { grantsAt } from '../publications';
import { connectionsOf } from '../watch';
import { handoverOf, keptUntil, type Handover } from './handovers';
import { storyOf } from './story';
import {
	factsThrough,
	type Membership,
	membershipsOf,
	personCalled,
	recordOf,
	saidBy,
	SOURCE_WORDS
} from '../directory';

/** What an endpoint proves of itself, in a word or two. */
const PROVES = {
	good: 'managed',
	ended: 'its certificate has ended',
	revoked: 'shut out',
	none: 'not managed'
} as const satisfies Record<DeviceProof['certificate'], string>;

export function personCard({ db }: Context, login: string, { at, live }: Then): Card | null {
	const p = recordOf(db, login, at);
	if (!p) return null;
	const { teams: above, zone, endpoint, device, address } = personCalled(db, login, at)!;
	const say = saidBy(db);
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
	const handover = handoverOf(db, p.id, at);
	return {
		kind: 'person',
		id: login,
		title: p.name,
		sub: standing(p, at, say) ?? (open.length ? `on ${open.map((s) => s.machine).join(', ')}` : 'not signed in'),
		rows: [
			...memberships
				.filter((m) => m.until > at)
				.map((m) => ({ name: m.home ? 'home team' : 'also in', value: m.name, scope: `team:${m.team}` })),
			{ name: 'site', value: say.site(p.site), scope: `site:${p.site}` },
			{ name: 'employment', value: p.employment },
			...(p.manager === null
				? []
				: [{ name: 'reports to', value: say.person(p.manager), card: `person/${p.manager}` }]),
			...(p.mail === null ? [] : [{ name: 'mail', value: p.mail }]),
			...(p.language === null ? [] : [{ name: 'language', value: languageWords(p.language) }]),
			{ name: 'works', value: p.pattern },
			endpoint === null
				? { name: 'endpoint', value: address === '' ? 'none known' : `none of ours; from ${address}` }
				: {
						name: 'endpoint',
						value: `${device.name ?? 'one that is known no longer'}, ${PROVES[device.certificate]}`,
						card: `endpoint/${endpoint}`
					},
			...(p.source === 'directory' ? [] : [{ name: 'kept by', value: SOURCE_WORDS[p.source] }]),
			...open.map((s) => ({ name: 'session', value: s.machine, card: `session/${s.id}` })),
			...(handover ? handoverRows(db, handover, p, say) : [])
		],
		...(live && handover?.stage !== 'handed' && handover?.stage !== 'cleared'
			? {
					links: [
						{ words: 'Move them', href: `/publish/people?make=move&edit=${encodeURIComponent(login)}` },
						{
							words: handover ? 'Change what they leave' : 'Let them leave',
							href: `/publish/people?make=leave&edit=${encodeURIComponent(login)}`
						}
					]
				}
			: {}),
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
		actions: [
			...(open.length
				? [
						{
							words: 'Message',
							kind: 'session.message',
							input: { sessions: open.map((s) => s.id) },
							ask: { field: 'text', words: 'What they should read' }
						},
						{ words: 'Sign out', kind: 'session.sign-out', input: { sessions: open.map((s) => s.id) } }
					]
				: []),
			...(handover ? [{ words: 'Take them back', kind: 'people.return', input: { person: login } }] : []),
			...(live && signInsOf(db, { kind: 'person', id: p.id })
				? [{ words: 'Sign out of the portal', kind: 'portal.end-sign-ins', input: { person: login } }]
				: []),
			...(live && hasFactor(db, { kind: 'person', id: p.id })
				? [{ words: 'Forget their second factor', kind: 'portal.forget-factor', input: { person: login } }]
				: [])
		],
		sections: [
			...(p.moves.length || (p.begins > at && p.begins > 0) || (p.ends > at && p.ends < FOREVER)
				? [{ kind: 'lines' as const, title: 'To come', lines: comingLines(p, at, say) }]
				: []),
			...(memberships.length > 1
				? [
						{
							kind: 'lines' as const,
							title: 'Teams, now and before',
							lines: memberships.map((m) => membershipLine(m, at, zone))
						}
					]
				: []),
			...storySection(db, p.id, at, say),
			...storyOf(db, { id: p.id, login, zone }, at),
			{ kind: 'connections', connections }
		]
	};
}

/** How somebody stands who has not begun or has ended; null of whoever is there. */
function standing(p: PersonRecord, at: number, say: Said): string | null {
	if (at < p.begins) return `begins ${say.day(p.begins, p.site)}`;
	return at < p.ends ? null : `ended ${say.day(lastDay(p), p.site)}`;
}

/** What is agreed for somebody who leaves. */
function handoverRows(db: Db, h: Handover, p: PersonRecord, say: Said): Card['rows'] {
	const until =
		p.ends < FOREVER ? say.day(keptUntil(db, p, h.keepDays), p.site) : `${h.keepDays} days after their last`;
	const kept =
		h.stage === 'cleared'
			? 'kept no longer'
			: `kept until ${until}, then ${h.after === 'hand' ? 'handed on' : 'removed'}`;
	return [
		{
			name: h.stage === 'agreed' ? 'will take over' : 'took over',
			value: h.to === null ? 'nobody' : say.person(h.to),
			...(h.to === null ? {} : { card: `person/${h.to}` })
		},
		{ name: 'what they leave', value: kept }
	];
}

/** What is known of them to come, in the order of its days. */
const comingLines = (p: PersonRecord, at: number, say: Said): CardLine[] =>
	[
		...(p.begins > at ? [{ at: p.begins, words: 'begins', site: p.site }] : []),
		...p.moves.map((m) => ({
			at: m.at,
			words: `goes to ${m.memberOf.map((t) => say.team(t)).join(', ') || 'no team'}, ${say.site(m.site)}`,
			site: m.site
		})),
		...(p.ends > at && p.ends < FOREVER ? [{ at: lastDay(p), words: 'ends', site: p.site }] : [])
	]
		.sort((a, b) => a.at - b.at)
		.map(({ words, site, at }) => ({ words, note: say.day(at, site) }));

/** What has become known of them, newest first. */
function storySection(
	db: Db,
	person: number,
	at: number,
	say: Said
): { kind: 'lines'; title: string; lines: CardLine[] }[] {
	const told = factsThrough(db, person, at);
	const lines = told.flatMap((after, i): CardLine[] => {
		const before = told[i + 1];
		if (!before) return [];
		const words = changeWords(before, after, say).join('; ');
		return words === '' ? [] : [{ words, note: say.day(after.since, after.site) }];
	});
	return lines.length ? [{ kind: 'lines', title: 'What has changed', lines: lines.slice(0, STORY) }] : [];
}
const STORY = 30;

/** A language by its name in English, or its tag where there is none. */
function languageWords(tag: string): string {
	try {
		return LANGUAGES.of(tag) ?? tag;
	} catch {
		return tag;
	}
}
const LANGUAGES = new Intl.DisplayNames(['en'], { type: 'language' });

function membershipLine(m: Membership, at: number, zone: string): CardLine {
	const from = m.since > 0 ? `since ${momentWords(zone, m.since)}` : '';
	const note = m.until <= at ? `until ${momentWords(zone, m.until)}` : from;
	return { words: m.home ? `${m.name}, home team` : m.name, ...(note ? { note } : {}) };
}
