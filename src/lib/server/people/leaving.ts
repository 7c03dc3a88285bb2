import { ownerless } from '$lib/core/people/handover';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { recordOf, saidBy } from '../directory';
import { belongingsOf, handoverOf, heirOf, keptUntil, type EstateThen } from './handovers';

/** What somebody who ends leaves, to whom it goes, and what would have no owner. */
export function leavesOf(
	db: Db,
	login: string,
	at: number,
	estate: EstateThen
): { facts: Fact[]; words: string[]; agreed: boolean } {
	const p = recordOf(db, login, at)!;
	const b = belongingsOf(db, login, at, estate);
	const h = handoverOf(db, p.id, at);
	const say = saidBy(db);
	const heir = h?.to ? heirOf(db, h.to, at) : null;
	const words = [
		...b.answersFor.map((x) => x.name),
		...(b.machines.length ? [b.machines.length === 1 ? 'a machine' : countWords(b.machines.length, 'machine')] : []),
		...(b.devices.length ? [b.devices.length === 1 ? 'an endpoint' : countWords(b.devices.length, 'endpoint')] : []),
		...(b.reports.length ? [countWords(b.reports.length, 'report')] : []),
		...(b.schedules.length ? [countWords(b.schedules.length, 'schedule')] : []),
		...(b.role === null ? [] : ['an account in the console']),
		...(b.requests ? [countWords(b.requests, 'request')] : [])
	];
	if (h) {
		const who = h.to === null ? 'nobody takes over' : `${say.person(h.to)} takes over`;
		const kept = `machine and files are kept until ${say.day(keptUntil(db, p, h.keepDays), p.site)}`;
		return {
			words: [h.to === null ? 'arranged' : `to ${say.person(h.to)}`, ...words],
			agreed: true,
			facts: [
				...(h.to !== null && heir === null
					? [
							{
								words: `${say.person(h.to)}, who is to take over, is not here`,
								side: 'against' as const,
								source: 'people'
							}
						]
					: []),
				...(h.stage === 'agreed' ? ownerless(b, heir, h.after) : []),
				{ words: `arranged by ${h.by}: ${who}, ${kept}`, side: 'for', source: 'people' }
			]
		};
	}
	const facts: Fact[] = [
		...ownerless(b, null, 'remove'),
		...b.machines.map((m): Fact => ({
			words: `${m.name} is theirs`,
			side: 'against',
			source: 'compute provider',
			about: { kind: 'machine', id: m.name, name: m.name }
		})),
		...b.reports
			.filter((r) => r.told)
			.slice(0, 4)
			.map((r): Fact => ({ words: `${r.name} reports to them`, side: 'against', source: 'directory' })),
		...(b.role === null
			? []
			: [{ words: `they may sign in to the console as ${b.role}`, side: 'against' as const, source: 'roles' }]),
		...(b.requests
			? [
					{
						words: `${b.requests} of their requests ${b.requests === 1 ? 'waits' : 'wait'} for an answer`,
						source: 'shelf'
					}
				]
			: [])
	];
	if (facts.length === 0)
		facts.push({ words: 'nothing is theirs that anybody else needs', side: 'for', source: 'people' });
	return { facts, words, agreed: false };
}
