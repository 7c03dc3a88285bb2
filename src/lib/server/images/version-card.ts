import { WILL_TAKE, type TakeReason } from '$lib/core/images/follow';
import { compareContents } from '$lib/core/images/versions';
import { countWords, durationWords, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all } from '../db';
import { machinesNotToMove } from '../pools';
import { followingAt, rulesNaming, whoTakes } from './following';
import { sitesWith, trialOf, usedLineAt } from './queries';
import { sendBetween } from './stores';
import type { Card } from '$lib/core/why/card';
import type { Then } from '../things/catalogue';

/** What a reason means on the card, and in which tone. */
const TAKES: Record<TakeReason, { pill: string; tone: 'sea' | 'sand' | 'buoy' | 'kelp' }> = {
	'has it': { pill: 'on it', tone: 'kelp' },
	'takes it': { pill: 'takes it', tone: 'sea' },
	'in use': { pill: 'at sign-out', tone: 'sea' },
	'next start': { pill: 'at next start', tone: 'sea' },
	'not yet': { pill: 'at its time', tone: 'sea' },
	'being worked on': { pill: 'after its job', tone: 'sea' },
	'follows nothing': { pill: 'follows nothing', tone: 'sand' },
	pinned: { pill: 'pinned', tone: 'sand' },
	held: { pill: 'held', tone: 'sand' },
	'nothing newer': { pill: 'has a newer', tone: 'sand' },
	'other line': { pill: 'other line', tone: 'sand' },
	'system differs': { pill: 'differs', tone: 'buoy' },
	'reference machine': { pill: 'skipped', tone: 'sand' },
	'site lacks it': { pill: 'ship it', tone: 'buoy' },
	'window too small': { pill: 're-plan', tone: 'buoy' },
	'failed twice': { pill: 'look at it', tone: 'buoy' }
};

/** The card of a version: who takes it and why not, what it adds, and what can be done with it. */
export function versionCard(ctx: Context, id: string, { at, live }: Then): Card | null {
	const { db } = ctx;
	const [lineId = '', number = ''] = id.split('/');
	const line = usedLineAt(db, lineId, at);
	const index = line?.versions.findIndex((v) => v.number === number) ?? -1;
	if (!line || index < 0) return null;
	const v = line.versions[index]!;
	const before = line.versions[index - 1];
	const scope = `line:${line.id} version:${v.number}`;
	// A held version is asked as if it were released: who would take it is what one wants to know before.
	const f = followingAt(
		db,
		at,
		live ? machinesNotToMove(ctx) : new Set(),
		v.held ? { version: { line: line.id, number, held: false } } : {}
	);
	const groups = whoTakes(f, line.id, number);
	const sites = sitesWith(db, line.id, number, at);
	const trial = trialOf(db, line.id, number, at);
	const named = rulesNaming(db, line.id, number, at);
	const send = before ? sendBetween(db, before, v) : null;
	const names = new Map(all<{ id: string; name: string }>(db, 'SELECT id, name FROM sites').map((s) => [s.id, s.name]));
	return {
		kind: 'version',
		id,
		title: `${line.name} ${v.number}`,
		sub: v.open ? 'open for work by hand' : v.retired ? 'retired' : v.held ? 'held back from “newest”' : v.note,
		rows: [
			{ name: 'built by', value: `${v.builtBy}, ${durationWords(at - v.builtAt)} ago` },
			...(v.basedOn
				? [{ name: 'from', value: `${line.name} ${v.basedOn}`, card: `version/${line.id}/${v.basedOn}` }]
				: []),
			{ name: 'system', value: `${line.system}, generation ${line.generation}` },
			{ name: 'machines', value: `${v.machines} of ${line.machines} on this line`, scope },
			{ name: 'people on it', value: countWords(v.people, 'person', 'people'), scope },
			{ name: 'at', value: sites.length ? sites.map((s) => names.get(s) ?? s).join(', ') : 'no site' },
			...(trial
				? [
						{
							name: 'trial',
							value: `${trial.passed ? 'passed' : 'failed'} ${durationWords(at - trial.at)} ago, started in ${durationWords(trial.boot)}`
						}
					]
				: [])
		],
		facts: [
			...(v.note ? [{ words: v.note, source: 'build note' }] : []),
			...named.map((who): Fact => ({ words: `${who} follows exactly ${v.number}`, source: 'follow rules' })),
			...(v.held ? [{ words: 'it is held: nobody takes it as newest', side: 'against' as const, source: 'hold' }] : []),
			...(v.retired
				? [{ words: 'it is retired: nothing new is made from it', side: 'against' as const, source: 'hold' }]
				: []),
			...(trial?.checks
				.filter((c) => !c.ok)
				.map((c): Fact => ({ words: `${c.asks} ${c.saw}`, side: 'against', source: 'trial', at: trial.at })) ?? [])
		],
		links: [
			{ words: 'Roll it out', href: `/build/rollouts?line=${line.id}&number=${number}` },
			{ words: 'Ship it', href: `/build/shipping?version=${line.id}/${number}` },
			{
				words: 'Compare',
				href: `/build/compare?line=${line.id}&b=${line.id}/${number}${before ? `&a=${line.id}/${before.number}` : ''}`
			},
			{ words: 'Contents as CycloneDX', href: `/api/v1/boms/${line.id}/${number}` },
			...(v.open ? [{ words: 'Console', href: `/build/console?line=${line.id}` }] : [])
		],
		actions: [
			{
				words: v.held ? 'Release it' : 'Hold it back',
				kind: 'image.hold',
				input: { line: line.id, number, held: !v.held },
				main: v.held
			},
			{ words: 'Rebuild with updates', kind: 'image.rebuild', input: { line: line.id, from: number } },
			...(v.open ? [] : [{ words: 'Open by hand', kind: 'image.open', input: { line: line.id, number } }]),
			{
				words: v.retired ? 'Bring it back' : 'Retire it',
				kind: 'image.retire',
				input: { line: line.id, number, retired: !v.retired }
			},
			{ words: 'Delete it', kind: 'image.delete', input: { line: line.id, number } }
		],
		sections: [
			{
				kind: 'takes',
				title: v.held ? 'Who would take it, and why not' : 'Who takes it, and why not',
				sub: `${countWords(line.machines, 'machine')} on this line`,
				groups: groups.map((g) => ({
					machines: g.machines.length,
					words: wordsOf(g.reason, g.machines),
					...TAKES[g.reason],
					will: WILL_TAKE.has(g.reason),
					first: g.machines.slice(0, 40).map((m) => m.name)
				}))
			},
			...(before
				? [
						{
							kind: 'compared' as const,
							with: before.number,
							changes: compareContents(before.contents, v.contents),
							...(send
								? {
										send: `${sizeWords(send.packed)} to send where ${before.number} is, instead of ${sizeWords(send.whole)}`
									}
								: {})
						}
					]
				: []),
			{ kind: 'contents', contents: v.contents }
		]
	};
}

/** The reason in words: what the machines of the group have in common, from the fact that decided last. */
function wordsOf(reason: TakeReason, machines: { pool: string; sessions: number; facts: Fact[] }[]): string {
	const pools = [...new Set(machines.map((m) => m.pool))];
	const where = pools.length <= 2 ? `: ${pools.join(', ')}` : `, ${pools.length} pools`;
	const last = machines[0]!.facts.at(-1)?.words ?? reason;
	const own = machines.every((m) => m.facts.at(-1)?.words === last);
	switch (reason) {
		case 'in use':
			return `in use now by ${countWords(
				machines.reduce((n, m) => n + m.sessions, 0),
				'session'
			)}, waits for the last sign-out`;
		case 'takes it':
			return 'nobody is signed in';
		case 'pinned':
			return `${machines.every((m) => m.facts[0]?.words === machines[0]!.facts[0]?.words) ? machines[0]!.facts[0]!.words : 'pinned by rule'}${where}`;
		default:
			return `${own ? last : reason}${where}`;
	}
}
