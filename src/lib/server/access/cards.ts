import { conditionsWords } from '$lib/core/access/decide';
import { countWords } from '$lib/core/time/units';
import type { Card } from '$lib/core/why/card';
import type { Context } from '../context';
import { one } from '../db';
import { FACTS_HERE, ofTeams } from '../moment/people-sql';
import type { Then } from '../things/catalogue';
import { grantsAt } from '../publications';

export function grantCard({ db }: Context, text: string, { at }: Then): Card | null {
	const g = grantsAt(db, at).find((x) => String(x.id) === text);
	if (!g) return null;
	const reach =
		g.toKind === 'person'
			? 1
			: one<{ n: number }>(
					db,
					`SELECT count(*) AS n FROM person_facts f WHERE ${FACTS_HERE} AND f.person_id IN ${ofTeams('(@team)')}`,
					{
						team: g.toId,
						at
					}
				)!.n;
	return {
		kind: 'grant',
		id: text,
		title: `${g.publicationName} to ${g.toName}`,
		sub: conditionsWords(g.conditions),
		rows: [
			{ name: 'publication', value: g.publicationName, card: `publication/${g.publication}` },
			{
				name: g.toKind,
				value: g.toName,
				...(g.toKind === 'team' ? { scope: `team:${g.toId}` } : { card: `person/${g.toLogin}` })
			},
			{ name: 'reaches', value: countWords(reach, 'person', 'people') },
			{ name: 'it is', value: g.kind },
			...(g.machines > 1 ? [{ name: 'machines each', value: String(g.machines) }] : []),
			{ name: 'channels', value: g.channels.join(', ') || 'none' }
		],
		facts: [{ words: conditionsWords(g.conditions), source: 'grant', at: g.since }],
		actions: [
			{ words: 'Take it back', kind: 'grant.remove', input: { grant: g.id } },
			{
				words: g.kind === 'required' ? 'Make it optional' : 'Make it required',
				kind: 'grant.change',
				input: { grant: g.id, kind: g.kind === 'required' ? 'optional' : 'required' }
			}
		],
		sections: []
	};
}
