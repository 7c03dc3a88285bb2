import { conditionsWords, namesOf } from '$lib/core/access/decide';
import { countWords, durationWords } from '$lib/core/time/units';
import type { Card } from '$lib/core/why/card';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import type { Db } from '../db';
import type { Then } from '../things/catalogue';
import { poolAt } from '../pools';
import { grantsAt, publicationsAt } from '../publications';
import { doorsAt } from './door';
import { appName, isImageApp } from './serving';
import { insideName } from './inside';
import { licencesAt } from './people-using';

/** What is opened in a browser alone. */
function insideRow(db: Db, reaches: string, at: number): Card['rows'][number] {
	const name = insideName(db, reaches, at);
	return {
		name: 'opens, in a browser alone',
		value: name ?? `${reaches}, which is not there any more`,
		...(reaches.startsWith('service/') && name !== null ? { card: `private-service/${reaches.slice(8)}` } : {})
	};
}

export function publicationCard({ db }: Context, id: string, { at }: Then): Card | null {
	const p = publicationsAt(db, at).find((x) => x.id === id);
	if (!p) return null;
	const grants = grantsAt(db, at).filter((g) => g.publication === id);
	const licences = licencesAt(db, p, at);
	const door = doorsAt(db, at)(p);
	const drop = licences.giveBack.filter((g) => g.having === 'fetched');
	return {
		kind: 'publication',
		id,
		title: p.internalName,
		sub: `people see “${p.name}”${p.off ? '; it is switched off' : ''}`,
		rows: [
			...p.pools.map((x) => ({ name: 'served by', value: poolAt(db, x, at)?.name ?? x, card: `pool/${x}` })),
			...(p.app
				? [
						{
							name: 'opens',
							value: `${appName(db, p.app, at)}, of ${isImageApp(p.app) ? '' : 'package '}${p.app.package.replace('/', ' ')}`,
							...(isImageApp(p.app) ? {} : { card: `package/${p.app.package}` })
						}
					]
				: []),
			...(p.reaches ? [insideRow(db, p.reaches, at)] : [{ name: 'protocol', value: p.protocol }]),
			{
				name: 'comes up',
				value: `${p.look.window === 'full' ? 'on the full screen' : 'in a window'}, ${p.look.monitors === 'all' ? 'all monitors' : 'one monitor'}`
			},
			...(p.look.group ? [{ name: 'group on the shelf', value: p.look.group }] : []),
			...(p.visible.length ? [{ name: 'seen by', value: namesOf(door.visible!) }] : []),
			...(p.owner ? [{ name: 'requests go to', value: p.owner, card: `person/${p.owner}` }] : []),
			...(p.licences === null
				? []
				: [
						{
							name: 'licences',
							value: `${licences.holders} of ${p.licences} held; beyond them ${p.beyond === 'block' ? 'nothing is granted' : 'a warning'}`
						}
					]),
			{ name: 'held by', value: countWords(licences.holders, 'person', 'people') },
			// What is opened in a browser alone is used without a session: the card of the service tells by how many.
			...(p.reaches
				? []
				: [
						{
							name: 'used in 30 days',
							value: countWords(licences.used, 'person', 'people'),
							...(p.app ? {} : { scope: `publication:${id}` })
						},
						{ name: 'most at once', value: countWords(licences.peak, 'person', 'people') }
					])
		],
		facts: grants.length
			? grants.map((g): Fact => ({
					words: `granted to ${g.toName}, ${g.kind}: ${conditionsWords(g.conditions)}`,
					side: 'for',
					source: 'grants',
					at: g.since,
					about: { kind: 'grant', id: String(g.id), name: `grant ${g.id}` }
				}))
			: [{ words: 'nobody has been granted it', side: 'against', source: 'grants' }],
		actions: [
			...(drop.length
				? [
						{
							words: `Take it back from ${countWords(drop.length, 'person', 'people')}`,
							kind: 'shelf.drop',
							input: { publication: id, people: drop.map((g) => g.login) },
							main: p.licences !== null && licences.holders > p.licences
						}
					]
				: []),
			{
				words: p.off ? 'Switch it on' : 'Switch it off',
				kind: 'publication.switch',
				input: { publication: id, off: !p.off }
			},
			{ words: 'Take it off', kind: 'publication.remove', input: { publication: id } }
		],
		sections: [
			{
				kind: 'lines',
				title: licences.giveBack.length
					? `${countWords(licences.giveBack.length, 'person', 'people')} could give it back`
					: 'Everybody who holds it has used it',
				lines: licences.giveBack.slice(0, 40).map((g) => ({
					words: g.name,
					card: `person/${g.login}`,
					note: `${g.last === null ? 'never used it' : `last ${durationWords(at - g.last)} ago`}; ${g.having === 'required' ? `required by the grant to ${g.by}` : 'fetched'}`
				}))
			}
		]
	};
}
