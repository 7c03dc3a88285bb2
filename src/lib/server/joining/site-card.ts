import { SITE_CHECKS, SITE_CHECK_WORDS } from '$lib/core/network/site-checks';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { asOf } from '../db/intervals';
import { all, one } from '../db';
import { isoDate } from '$lib/core/time/zone';
import { holidaysAt, holidayWords } from '../estate';
import { linksOf } from '../images';
import { checksAt, checksWords, providerAt } from '../network';
import type { Card } from '$lib/core/why/card';
import type { Then } from '../things/catalogue';

/** The card of a site: what stands there, how it is reached, and what its checks saw. */
export function siteCard(ctx: Context, id: string, { at, live }: Then): Card | null {
	const { db } = ctx;
	const s = one<{ name: string; kind: string; time_zone: string; joined_at: number }>(
		db,
		'SELECT * FROM sites WHERE id = ? AND joined_at <= ?',
		[id, at]
	);
	if (!s) return null;
	const count = (table: 'hosts' | 'volumes') =>
		one<{ n: number }>(db, `SELECT count(*) AS n FROM ${table} WHERE site_id = ?`, [id])!.n;
	const machines = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM machines WHERE site_id = ? AND ${asOf('machines', '?')}`,
		[id, at, at]
	)!.n;
	const checks = checksAt(db, id, at);
	const provider = providerAt(db, ctx.vault, id, at);
	const links = linksOf(db).flatMap((l) =>
		l.a === id ? [{ to: l.b, mbit: l.mbit }] : l.b === id ? [{ to: l.a, mbit: l.mbit }] : []
	);
	const networks = all<{ id: string }>(db, 'SELECT id FROM networks WHERE site_id = ? ORDER BY id', [id]);
	const today = isoDate(s.time_zone, at);
	const ahead = (holidaysAt(db, at).get(id) ?? []).filter((d) => d.day >= today);
	const pools = one<{ n: number }>(db, 'SELECT count(DISTINCT id) AS n FROM pools WHERE site_id = ?', [id])!.n;
	return {
		kind: 'site',
		id,
		title: s.name,
		sub: `${s.kind}, ${checksWords(checks)}`,
		rows: [
			{ name: 'machines', value: String(machines), scope: `site:${id}` },
			{ name: 'hosts', value: String(count('hosts')) },
			{ name: 'volumes', value: String(count('volumes')) },
			{ name: 'time zone', value: s.time_zone },
			...(ahead.length
				? [
						{
							name: 'holidays to come',
							value: `${ahead.slice(0, 3).map(holidayWords).join('; ')}${ahead.length > 3 ? ` and ${ahead.length - 3} more` : ''}`
						}
					]
				: []),
			...networks.map((n) => ({ name: 'network', value: n.id, card: `network/${n.id}` })),
			...links.map((l) => ({ name: 'link', value: `${l.mbit} Mbit/s to ${l.to}`, card: `site/${l.to}` })),
			...(provider
				? [
						{ name: 'provider', value: provider.address },
						{ name: 'accounts in', value: provider.folder }
					]
				: [])
		],
		facts: [
			{ words: checksWords(checks), side: checks.some((c) => c.ok === false) ? 'against' : 'for', source: 'check' },
			...checks
				.filter((c) => c.ok === false)
				.flatMap((c): Fact[] => [
					{ words: `${SITE_CHECK_WORDS[c.name].fails}: ${c.saw}`, side: 'against', at: c.since, source: 'check' },
					{ words: c.remedy.replace(/\.$/, ''), source: 'remedy' }
				])
		],
		actions: [
			...(pools === 0 ? [{ words: 'Let go of it', kind: 'site.leave', input: { site: id } }] : []),
			...(live
				? [
						{
							words: 'Add holidays',
							kind: 'site.holidays',
							input: { site: id },
							ask: { field: 'add', words: 'One a line, such as 24 Dec 2026 Christmas Eve' }
						}
					]
				: [])
		],
		links: [{ words: 'all sites', href: '/build/sites' }],
		sections: [
			{
				kind: 'checks',
				title: 'Checks',
				sub: 'every five minutes',
				checks: SITE_CHECKS.flatMap((name) => {
					const c = checks.find((x) => x.name === name);
					return c
						? [{ asks: SITE_CHECK_WORDS[name].asks, ok: c.ok, saw: c.saw, since: c.ok === false ? c.since : null }]
						: [];
				})
			}
		]
	};
}
