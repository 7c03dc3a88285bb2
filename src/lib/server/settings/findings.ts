import { clashesAmong, couldClash } from '$lib/core/settings/compare';
import { valueWords } from '$lib/core/settings/kinds';
import { RANK } from '$lib/core/settings/file';
import type { Finding } from '$lib/core/diagnosis/findings';
import { countWords } from '$lib/core/time/units';
import type { Comparison } from '../manifest';
import { settingsAt } from './queries';
import { knownAt, reachNames } from './subjects';

/** Facts of one finding. */
const SAID = 8;

/** Groups of the same rank that say the same settings otherwise, by the group that counts meanwhile. */
export const settingsComparisons: readonly Comparison[] = [
	{
		kinds: ['settings clash'],
		every: 'hour',
		look({ db }, now): Finding[] {
			const groups = settingsAt(db, now);
			if (!couldClash(groups)) return [];
			const clashes = clashesAmong(groups, knownAt(db, now));
			const nameOf = (id: string) => groups.groups.find((g) => g.id === id)?.name ?? id;
			const reachName = reachNames(db, now);
			return [...new Set(clashes.map((c) => c.groups[0]))].map((id): Finding => {
				const own = clashes.filter((c) => c.groups[0] === id);
				const others = [...new Set(own.map((c) => nameOf(c.groups[1])))];
				const group = groups.groups.find((g) => g.id === id)!;
				return {
					kind: 'settings clash',
					subject: { kind: 'settings-group', id },
					site: null,
					title: `${group.name} and ${others.length === 1 ? others[0]! : countWords(others.length, 'other group')} say settings otherwise, with the same right`,
					facts: own.slice(0, SAID).map((c) => ({
						words: `${c.setting.name}: ${nameOf(c.groups[0])} by ${reachName(c.by[0])} and ${nameOf(c.groups[1])} by ${reachName(c.by[1])} meet at ${c.first.name}${c.subjects > 1 ? ` and ${c.subjects - 1} more` : ''}; ${valueWords(c.setting.type, c.counts)} counts`,
						side: 'against' as const,
						source: 'settings'
					})),
					remedy:
						group.rank < RANK.most
							? {
									kind: 'settings.rank',
									input: { group: id, rank: group.rank + 1 },
									words: `Let ${group.name} rank higher`
								}
							: null
				};
			});
		}
	}
];
