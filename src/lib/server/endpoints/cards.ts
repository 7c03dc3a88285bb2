import { ON_A_WIRE } from '$lib/core/endpoints/kinds';
import { place } from '$lib/core/endpoints/rules';
import { durationWords } from '$lib/core/time/units';
import { dateWords, momentWords } from '$lib/core/time/zone';
import type { Card } from '$lib/core/why/card';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one } from '../db';
import { saidBy } from '../directory';
import type { Then } from '../things/catalogue';
import { heldBack } from './announced';
import { firmwareRows } from './firmware';
import { isOpen, lastLooks, looksAt } from './looking';
import { missedDevices, missedFact } from './missed';
import { keptFor, keptOf } from './keeping';
import { certificatesOf, type CertificateRow } from './certificates';
import {
	COPY,
	deviceOf,
	endpointById,
	endpointOf,
	isKeptOut,
	rulesAt,
	standsOf,
	teamsOf,
	treeAt,
	waits
} from './queries';

/** Lines of what has been. */
const MOST = 12;

export function endpointCard({ db }: Context, id: string, { at, live }: Then): Card | null {
	const e = /^\d{1,15}$/.test(id) ? endpointById(db, Number(id), at) : null;
	if (!e) return null;
	const tree = treeAt(db, at);
	const say = saidBy(db);
	const zone =
		e.site === null
			? 'Etc/UTC'
			: (one<{ zone: string }>(db, 'SELECT time_zone AS zone FROM sites WHERE id = ?', [e.site])?.zone ?? 'Etc/UTC');
	const nameOf = (branch: string) => tree.get(branch)?.name ?? branch;
	const placed = place(deviceOf(db, e, teamsOf(db, at)), standsOf(e), rulesAt(db, at), tree);
	const spots = all<{ since: number; until: number; branch: string | null; by: string | null; why: string }>(
		db,
		'SELECT since, until, branch_id AS branch, by, why FROM endpoint_spots WHERE endpoint_id = ? AND since <= ? ORDER BY since DESC LIMIT ?',
		[e.id, at, MOST]
	);
	const starts = all<{ at: number; address: string; firmware: string; person: string | null }>(
		db,
		'SELECT s.at, s.address, s.firmware, p.name AS person FROM endpoint_starts s LEFT JOIN people p ON p.id = s.person_id WHERE s.endpoint_id = ? AND s.at <= ? ORDER BY s.at DESC LIMIT ?',
		[e.id, at, MOST]
	);
	const others = all<{ id: number; key: string }>(
		db,
		'SELECT id, key FROM endpoints WHERE serial = ? AND id <> ? AND first_at <= ? ORDER BY first_at',
		[e.serial, e.id, at]
	);
	const looks = looksAt(db, e.id, at, MOST);
	const seen = live ? lastLooks(looks).find((l) => isOpen(l, e, at)) : undefined;
	const kept = keptFor(db, e.id, at);
	const wished = firmwareRows(db, at).find((r) => r.id === e.id);
	const out = e.branch === null;
	const [certificate] = certificatesOf(db, e.id, at);
	const [missed] = e.state === 'asleep' ? missedDevices(db, at, e.id) : [];
	const held = isKeptOut(e) ? e.why : out && e.why !== COPY ? heldBack(db, at)(e) : null;
	const standing: Fact[] =
		e.why === COPY
			? [
					{ words: COPY, side: 'against', source: 'endpoints' },
					...others.map((o) => ({
						words: `the other’s key is ${o.key
							.match(/.{1,4}/g)!
							.slice(0, 8)
							.join(' ')}`,
						about: { kind: 'endpoint' as const, id: String(o.id) },
						source: 'endpoints'
					}))
				]
			: held !== null
				? [{ words: held, side: 'against', source: 'endpoints' }]
				: [
						...(e.by === null
							? []
							: [{ words: `${e.by} put it into ${nameOf(e.branch!)}`, at: e.spotSince, source: 'endpoints' }]),
						...placed.facts
					];
	return {
		kind: 'endpoint',
		id,
		title: e.name,
		sub: `${e.device}${e.site === null ? '' : `, ${say.site(e.site)}`}; ${e.state} for ${durationWords(Math.max(0, at - e.stateSince))}${e.on === null ? '' : `, ${say.person(e.on)} is on it`}`,
		rows: [
			out
				? { name: 'branch', value: waits(e) ? 'none: it waits to be let in' : 'none: it is shut out' }
				: {
						name: 'branch',
						value: tree
							.above(e.branch!)
							.map((b) => b.name)
							.reverse()
							.join(' › '),
						scope: `branch:${e.branch}`
					},
			...(e.person === null ? [] : [{ name: 'used by', value: e.personName ?? e.person, card: `person/${e.person}` }]),
			...(kept === null
				? []
				: [
						{
							name: 'kept for',
							value: kept.ends <= at ? `${kept.person}, who has left: to be collected` : kept.person,
							card: `person/${kept.login}`
						}
					]),
			...(e.site === null
				? [{ name: 'site', value: 'none: its address belongs to no network of devices' }]
				: [{ name: 'site', value: say.site(e.site), scope: `site:${e.site}` }]),
			{
				name: 'reaches',
				value:
					e.state !== 'awake'
						? 'nothing: it sleeps'
						: e.on === null
							? 'the portal alone, until somebody signs in'
							: `what access rules let ${say.person(e.on)} reach`
			},
			{ name: 'model', value: e.model, scope: `model:"${e.model}"` },
			{ name: 'serial', value: e.serial },
			{
				name: 'firmware',
				value: wished
					? wished.standing === 'has it'
						? `${e.firmware}, as wished by ${nameOf(wished.wish.branch)}`
						: `${e.firmware}; ${wished.wish.version} wished by ${nameOf(wished.wish.branch)}: ${wished.standing === 'waits' ? wished.why.words : 'it takes it'}`
					: e.firmware
			},
			{ name: 'address', value: e.address || 'none' },
			{ name: 'hardware address', value: e.hardware },
			{
				name: 'its key',
				value: e.key
					.match(/.{1,4}/g)!
					.slice(0, 8)
					.join(' ')
			},
			{ name: 'certificate', value: certificateWords(certificate, zone) },
			{ name: 'first call', value: momentWords(zone, e.firstAt) }
		],
		facts: [...(missed ? [missedFact(missed)] : []), ...standing],
		actions: [
			...(e.state === 'asleep' && ON_A_WIRE.has(e.device)
				? [{ words: 'Wake it', kind: 'endpoint.wake', input: { endpoints: [e.id] } }]
				: []),
			...(e.state === 'awake' && e.on !== null && !out
				? [
						{
							words: 'Look at its screen',
							kind: 'endpoint.look',
							input: { endpoint: e.id },
							ask: { field: 'why', words: 'Why, in words that they read' }
						}
					]
				: []),
			...(e.state === 'awake'
				? [
						{ words: 'Restart it', kind: 'endpoint.restart', input: { endpoints: [e.id] } },
						{ words: 'Lock it', kind: 'endpoint.lock', input: { endpoints: [e.id] } },
						{
							words: 'Message',
							kind: 'endpoint.show',
							input: { endpoints: [e.id] },
							ask: { field: 'text', words: 'What they should read' }
						}
					]
				: []),
			...(kept !== null
				? [
						{
							words: kept.ends <= at ? 'It has been collected' : 'Keep it for nobody any more',
							kind: 'endpoint.keep',
							input: { give: [{ endpoint: e.id, person: null }] }
						}
					]
				: []),
			{ words: 'Forget it', kind: 'endpoint.forget', input: { endpoints: [e.id] } }
		],
		links: [
			{ words: out ? 'Let it in' : 'Move it', href: `/publish/endpoints?make=move&edit=${e.id}` },
			...(out ? [] : [{ words: 'Keep it for somebody', href: `/publish/endpoints?make=keep&edit=${e.id}` }]),
			...(isKeptOut(e) && !waits(e)
				? []
				: [{ words: 'Shut it out', href: `/publish/endpoints?make=shut&edit=${e.id}` }])
		],
		lead: seen
			? [
					{
						kind: 'screen',
						title: 'Its screen',
						sub: `${seen.person} lets ${seen.by} look until ${momentWords(zone, seen.ends)}`,
						href: `/api/v1/endpoint-screens/${e.id}`,
						alt: `The screen of ${e.name} as it is now`
					}
				]
			: [],
		sections: [
			{
				kind: 'lines',
				title: 'Who asked to look at its screen',
				lines: looks.map((l) => ({
					words: `${l.by}: ${l.why}`,
					note: `${momentWords(zone, l.asked)}: ${l.person} ${l.answer === 'yes' ? 'said yes' : l.answer === 'no' ? 'said no' : 'did not answer'}`
				}))
			},
			{
				kind: 'lines',
				title: 'Where it has stood',
				lines: spots.map((s) => ({
					words: s.branch === null ? 'waited' : nameOf(s.branch),
					note: `${momentWords(zone, s.since)}, ${s.by === null ? s.why : `by ${s.by}`}`
				}))
			},
			{
				kind: 'lines',
				title: 'Starts',
				lines: starts.map((s) => ({
					words: momentWords(zone, s.at),
					note: [s.address || 'no address', s.firmware, s.person].filter(Boolean).join(', ')
				}))
			}
		]
	};
}

const certificateWords = (c: CertificateRow | undefined, zone: string): string => {
	if (!c) return 'none yet: it is given one once it stands in a branch and is awake';
	switch (c.state) {
		case 'good':
			return `good until ${dateWords(zone, c.ends)}, number ${c.number.slice(0, 8)}…`;
		case 'ended':
			return `ended on ${dateWords(zone, c.ends)}: it is given another when it starts`;
		case 'revoked':
			return `revoked on ${dateWords(zone, c.revokedAt!)} by ${c.revokedBy}`;
		case 'renewed':
			return 'none: it is given another when it starts';
	}
};

/** What endpoints add to the card of somebody: what they sit at. */
export function endpointAdds({ db }: Context, kind: string, id: string, { at }: Then): Pick<Card, 'sections'> {
	if (kind !== 'person') return { sections: [] };
	const person = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [id]);
	const e = person ? endpointOf(db, person.id, at) : null;
	const kept = person ? keptOf(db, person.id, at).filter((k) => k.id !== e?.id) : [];
	return {
		sections:
			e || kept.length
				? [
						{
							kind: 'lines',
							title: 'Sits at',
							lines: [
								...(e
									? [
											{
												words: e.name,
												card: `endpoint/${e.id}`,
												note: `${e.model}, ${e.state} for ${durationWords(Math.max(0, at - e.stateSince))}`
											}
										]
									: []),
								...kept.map((k) => ({
									words: k.name,
									card: `endpoint/${k.id}`,
									note: `${k.model}, kept for them by ${k.by}`
								}))
							]
						}
					]
				: []
	};
}
