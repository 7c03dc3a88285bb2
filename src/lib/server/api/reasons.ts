import { newestOf } from '$lib/core/images/follow';
import { CHECK_WORDS, type CheckName } from '$lib/core/diagnosis/checks';
import { withFacet, EVERYTHING } from '$lib/core/scope/scope';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { usedLinesAt } from '../images';
import { planById } from '../plans';
import { grantsAt } from '../publications';
import { figuresAt } from '../watch';
import type { Kind } from './kinds';

/** Why a thing that has no card is as it is: the facts that go out with its row. */
export function reasonsOf(db: Db, kind: Kind, row: Record<string, unknown>, at: number): Fact[] {
	switch (kind) {
		case 'sites': {
			const f = figuresAt(db, withFacet(EVERYTHING, 'site', String(row.id)), at);
			return [
				{ words: `${countWords(f.people, 'person is', 'people are')} signed in`, source: 'measured' },
				{ words: `${f.up} of ${countWords(f.machines, 'machine')} are up`, source: 'compute provider' },
				...(f.unusable
					? [
							{
								words: `${countWords(f.unusable, 'machine is', 'machines are')} unusable`,
								side: 'against' as const,
								source: 'check'
							}
						]
					: [])
			];
		}
		case 'image-lines': {
			const line = usedLinesAt(db, at).find((l) => l.id === row.id)!;
			const newest = newestOf(line.versions);
			return [
				newest
					? { words: `newest version that may be taken is ${newest.number}`, side: 'for', source: 'follow rules' }
					: { words: 'no version may be taken', side: 'against', source: 'follow rules' },
				...line.versions
					.filter((v) => v.held)
					.map((v): Fact => ({ words: `${v.number} is held back`, side: 'against', source: 'follow rules' })),
				{ words: `${countWords(line.machines, 'machine is', 'machines are')} on it`, source: 'measured' }
			];
		}
		case 'teams':
			return [
				{ words: `${countWords(Number(row.people), 'person', 'people')}, teams below counted in`, source: 'directory' },
				...grantsAt(db, at)
					.filter((g) => g.toKind === 'team' && g.toId === row.id)
					.map((g): Fact => ({
						words: `${g.publicationName} is granted to it`,
						at: g.since,
						source: 'grants',
						about: { kind: 'grant', id: String(g.id) }
					}))
			];
		case 'requests':
			return [
				{ words: `“${String(row.why)}”`, at: Number(row.at), source: 'request' },
				row.answer
					? {
							words: `${String(row.answer)} by ${String(row.answeredBy)}${row.words ? `: “${String(row.words)}”` : ''}`,
							side: row.answer === 'approved' ? 'for' : 'against',
							source: 'request'
						}
					: { words: `it waits for ${String(row.owner ?? 'an operator')}`, source: 'publication' }
			];
		case 'jobs': {
			const plan = planById(db, Number(row.planId));
			return [
				...(plan?.reasons ?? []),
				...(row.error ? [{ words: String(row.error), side: 'against' as const, source: 'job log' }] : [])
			];
		}
		case 'checks':
			return [
				{
					words: `${CHECK_WORDS[row.name as CheckName].fails}: ${String(row.saw)}`,
					side: 'against',
					at: Number(row.since),
					source: 'check',
					about: { kind: 'machine', id: String(row.machine) }
				}
			];
		default:
			return [];
	}
}
