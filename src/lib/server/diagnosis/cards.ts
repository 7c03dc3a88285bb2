import { countWords, durationWords, FOREVER } from '$lib/core/time/units';
import type { Card } from '$lib/core/why/card';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { asOfByEnd } from '../db/intervals';
import { all, one } from '../db';
import type { Then } from '../things/catalogue';
import { findingById } from './queries';

export function gatewayCard({ db }: Context, id: string, { at }: Then): Card | null {
	const g = one<{ address: string; site: string; site_id: string }>(
		db,
		'SELECT g.*, s.name AS site FROM gateways g JOIN sites s ON s.id = g.site_id WHERE g.id = ?',
		[id]
	);
	if (!g) return null;
	const ports = all<{ protocol: string; announced: number; listens: number; since: number }>(
		db,
		`SELECT * FROM gateway_ports WHERE gateway_id = ? AND ${asOfByEnd('gateway_ports', '?')}`,
		[id, at, at]
	);
	const sessions = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM sessions WHERE gateway_id = ? AND ${asOfByEnd('sessions', '?')}`,
		[id, at, at]
	)!.n;
	const relay = one<{ announced: string; stands: string; since: number }>(
		db,
		`SELECT * FROM gateway_relays WHERE gateway_id = ? AND ${asOfByEnd('gateway_relays', '?')}`,
		[id, at, at]
	);
	const wrong = ports.filter((p) => p.announced !== p.listens);
	const astray = relay !== undefined && relay.announced !== relay.stands;
	return {
		kind: 'gateway',
		id,
		title: id,
		sub: [
			wrong.length ? `${wrong.map((p) => p.protocol).join(', ')} does not get through` : 'all protocols get through',
			...(astray ? ['nobody outside the offices gets a picture'] : [])
		].join('; '),
		rows: [
			{ name: 'site', value: g.site, scope: `site:${g.site_id}` },
			{ name: 'address', value: g.address },
			{ name: 'sessions through it', value: String(sessions), scope: `gateway:${id}` },
			...ports.map((p) => ({
				name: p.protocol,
				value: p.announced === p.listens ? `port ${p.announced}` : `announces ${p.announced}, listens on ${p.listens}`
			})),
			...(relay
				? [
						{
							name: 'relay',
							value: astray ? `hands out ${relay.announced}, stands at ${relay.stands}` : relay.announced
						}
					]
				: [])
		],
		facts: [
			...ports.map((p): Fact => ({
				words: `${p.protocol}: announces ${p.announced}, listens on ${p.listens}`,
				at: p.since,
				side: p.announced === p.listens ? undefined : 'against',
				source: 'gateway'
			})),
			...(relay
				? [
						{
							words: `relay: hands out ${relay.announced}, stands at ${relay.stands}`,
							at: relay.since,
							source: 'gateway',
							...(astray ? { side: 'against' as const } : {})
						}
					]
				: [])
		],
		actions: [
			...wrong.map((p) => ({
				words: `Put ${p.protocol} back to ${p.listens}`,
				kind: 'gateway.set-port',
				input: { gateway: id, protocol: p.protocol, port: p.listens },
				main: true
			})),
			...(astray
				? [
						{
							words: `Hand out ${relay.stands} again`,
							kind: 'gateway.set-relay',
							input: { gateway: id, address: relay.stands },
							main: wrong.length === 0
						}
					]
				: [])
		],
		sections: []
	};
}

export function findingCard({ db }: Context, id: string, { at }: Then): Card | null {
	const f = findingById(db, Number(id), at);
	if (!f) return null;
	return {
		kind: 'finding',
		id,
		title: f.title,
		sub:
			f.until === FOREVER
				? countWords(f.people, 'person affected', 'people affected')
				: `over after ${durationWords(f.until - f.since)}`,
		rows: [
			{
				name: f.subjectKind,
				value: f.subject,
				...(f.subjectKind === 'sextant' || f.subjectKind === 'table' ? {} : { card: `${f.subjectKind}/${f.subject}` })
			}
		],
		facts: f.facts,
		actions:
			f.remedy && f.until === FOREVER
				? [{ words: f.remedy.words, kind: f.remedy.kind, input: f.remedy.input, main: !f.remedy.blocked }]
				: [],
		sections: []
	};
}
