import { countWords, numberWords, sizeWords } from '$lib/core/time/units';
import type { Card, CardLine, CardSection } from '$lib/core/why/card';
import type { Context } from '../context';
import type { Db } from '../db';
import type { Then } from '../things/catalogue';
import { looksAt } from './looking';
import { sumOf, usersOf } from './queries';
import { aboutFew, FEW } from './view';

/** What is said on cards reaches back so many days. */
const DAYS = 30;
const LAST = `the last ${DAYS} days`;

const decided = (n: number): string => countWords(n, 'decision', 'decisions');

function ofRule(db: Db, id: string, at: number): CardSection {
	const title = `What it decided in ${LAST}`;
	if (aboutFew(db, at).has(id))
		return {
			kind: 'lines',
			title,
			lines: [{ words: `It is about fewer than ${FEW} people: what each of them did is looked at saying why` }]
		};
	const hits = sumOf(db, { at, days: DAYS, people: null }, { rule: id });
	const lines: CardLine[] = hits.decisions
		? [
				{
					words: `${decided(hits.decisions)}, ${numberWords(hits.refused)} of which let nobody through`,
					note: `about ${countWords(hits.people, 'person', 'people')}; ${sizeWords(hits.down + hits.up)} in both directions`
				}
			]
		: [{ words: 'It decided nothing' }];
	return { kind: 'lines', title, lines };
}

function ofTarget(db: Db, kind: 'site' | 'service', target: string, at: number): CardSection {
	const asked = { at, days: DAYS, people: null };
	const sums = sumOf(db, asked, { kind, target });
	const reached = usersOf(db, asked, kind, target).length;
	return {
		kind: 'lines',
		title: `What it was used for in ${LAST}`,
		lines: sums.decisions
			? [
					{
						words: `${countWords(reached, 'person', 'people')} reached it`,
						note: `${decided(sums.decisions)}, ${numberWords(sums.refused)} of which let nobody through; ${sizeWords(sums.down)} to them, ${sizeWords(sums.up)} from them`
					}
				]
			: [{ words: 'Nobody reached it, and nobody was refused it' }]
	};
}

/** Where it is seen what somebody reached, once it was said why. */
function ofPerson(db: Db, login: string, at: number): CardSection {
	const looks = looksAt(db, at, 5, login);
	return {
		kind: 'lines',
		title: 'What they reached',
		lines: [
			{ words: 'Look at it, saying why', href: `/secure/activity?person=${encodeURIComponent(login)}` },
			...looks.map((l): CardLine => ({ words: `${l.by} looked`, note: l.why }))
		]
	};
}

/** What the activity of people adds to the cards of other areas. */
export function activityAdds({ db }: Context, kind: string, id: string, { at }: Then): Partial<Pick<Card, 'sections'>> {
	if (kind === 'access-rule') return { sections: [ofRule(db, id, at)] };
	if (kind === 'private-service') return { sections: [ofTarget(db, 'service', id, at)] };
	if (kind === 'person') return { sections: [ofPerson(db, id, at)] };
	return {};
}
