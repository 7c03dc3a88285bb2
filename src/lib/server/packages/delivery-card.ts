import { byVersion } from '$lib/core/images/versions';
import { ATTACH_CAUSE_WORDS } from '$lib/core/packages/attaching';
import { ATTACH_MODE_WORDS } from '$lib/core/packages/attach';
import { START_WORDS, type StartKind } from '$lib/core/packages/starting';
import { countWords, DAY, durationWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { asOf } from '../db/intervals';
import { all, one, type Db } from '../db';
import { deliveryStatesAt, failuresIn, openAppsAt, packagesOn, refusedSince, startTimes } from './delivery';
import { packageAt } from './queries';
import type { Card, CardAction, CardLine, CardSection } from '$lib/core/why/card';
import type { Context } from '../context';
import type { Then } from '../things/catalogue';

/** What a pool has of a package: `pool/package`. */
export function deliveryCard({ db }: Context, id: string, { at }: Then): Card | null {
	const cut = id.lastIndexOf('/');
	const [pool, name] = [id.slice(0, cut), id.slice(cut + 1)];
	const d = deliveryStatesAt(db, at).find((x) => x.pool === pool && x.package === name);
	if (!d) return null;
	const old = openAppsAt(db, at, name, pool).filter((o) => o.version !== d.version);
	const failures = failuresIn(db, pool, name, at);
	const versions = packageAt(db, name, at)?.versions.map((v) => v.number) ?? [];
	const where = { package: name, pools: [pool] };
	const others = versions.filter((v) => v !== d.version).reverse();
	const actions: CardAction[] = [
		...(old.length
			? [
					{
						words: 'Ask them to open it again',
						kind: 'package.ask',
						input: where,
						ask: { field: 'text', words: 'What they should read' },
						main: true
					}
				]
			: []),
		...others.slice(0, 3).map((v) => ({
			words: `${byVersion(v, d.version) < 0 ? 'Return to' : 'Set to'} ${v}`,
			kind: 'package.deliver',
			input: { ...where, version: v }
		})),
		...(['start', 'sign-in', 'launch'] as const)
			.filter((m) => m !== d.mode)
			.map((m) => ({
				words:
					m === 'start' ? 'Have it from the start' : m === 'sign-in' ? 'Attach it at sign-in' : 'Attach it at launch',
				kind: 'package.deliver',
				input: { ...where, version: d.version, mode: m }
			})),
		{ words: 'Withdraw it', kind: 'package.withdraw', input: where }
	];
	return {
		kind: 'delivery',
		id,
		title: `${name} on ${d.poolName}`,
		sub: `${d.version}, ${ATTACH_MODE_WORDS[d.mode]}`,
		rows: [
			{ name: 'package', value: `${name} ${d.version}`, card: `package/${name}` },
			{ name: 'pool', value: d.poolName, card: `pool/${pool}` },
			{
				name: 'attached',
				value: `to ${d.attached} of ${countWords(d.up, 'machine')} that ${d.up === 1 ? 'is' : 'are'} up`
			},
			{ name: 'open for', value: countWords(d.people, 'person', 'people') },
			{ name: 'given by', value: `${d.by}, ${durationWords(at - d.since)} before` }
		],
		facts: [
			...(d.attaching
				? [{ words: `it is being attached to ${countWords(d.attaching, 'machine')}`, source: 'agents' }]
				: []),
			...d.old.map((o): Fact => ({
				words: `${countWords(o.people, 'person still has', 'people still have')} ${o.version} open: it leaves a machine with its last user`,
				side: 'against',
				source: 'agents'
			})),
			...failures.slice(0, 20).map((f): Fact => ({
				words: `${f.machine}: ${ATTACH_CAUSE_WORDS[f.cause]}: ${f.why.findLast((w) => w.side === 'against')?.words ?? ''}${f.tries > 1 ? `; tried ${f.tries} times` : ''}`,
				side: 'against',
				at: f.since,
				about: { kind: 'machine', id: f.machine },
				source: 'agent'
			})),
			...(d.old.length === 0 && failures.length === 0 && d.attached === d.up && d.mode === 'start'
				? [{ words: 'every machine that is up has it', side: 'for' as const, source: 'agents' }]
				: []),
			...refusedFacts(db, name, pool, at),
			...startFacts(db, name, d.version, at)
		],
		actions,
		sections: [
			{
				kind: 'lines',
				title: old.length ? `On an older version` : 'Nobody is on an older version',
				lines: old.map((o) => ({
					words: o.person,
					card: `session/${o.session}`,
					note: `${o.version} for ${durationWords(at - o.since)}`
				}))
			}
		]
	};
}

/** People of the last day who could not start it there, by what they were told. */
const refusedFacts = (db: Db, name: string, pool: string, at: number): Fact[] =>
	refusedSince(db, name, pool, at - DAY, at).map((r) => ({
		words: `${countWords(r.people, 'person', 'people')} could not start it in the last day, and read: “${r.words}”`,
		side: 'against',
		source: 'agents'
	}));

const startFacts = (db: Db, name: string, version: string, at: number): Fact[] =>
	startTimes(db, name, version, at).map((s) => ({
		words: `${START_WORDS[s.start]}: ${durationWords(s.ms)} to its window, in the middle of ${countWords(s.n, 'start')}`,
		source: 'measured'
	}));

/** What packages add to the cards of other things: what is attached to a machine or a pool, and what is open in a session. */
export function packageAdds({ db }: Context, kind: string, id: string, { at }: Then): { sections: CardSection[] } {
	const lines = (title: string, of: CardLine[]) => ({ sections: [{ kind: 'lines' as const, title, lines: of }] });
	switch (kind) {
		case 'machine': {
			const m = one<{ id: number; pool: string }>(
				db,
				`SELECT id, pool_id AS pool FROM machines WHERE name = ? AND ${asOf('machines', '?')}`,
				[id, at, at]
			);
			return m ? lines('Packages', packagesOfMachine(db, m.id, m.pool, at)) : { sections: [] };
		}
		case 'pool':
			return lines('Packages', packagesOfPool(db, id, at));
		case 'session':
			return lines('Apps that are open', appsOpenIn(db, Number(id), at));
		default:
			return { sections: [] };
	}
}

/** What is attached to a machine, and by what. */
function packagesOfMachine(db: Db, machine: number, pool: string, at: number): CardLine[] {
	return packagesOn(db, machine, at).map((p) => ({
		words: `${p.package} ${p.version}`,
		card: `delivery/${pool}/${p.package}`,
		note: `${p.state}${p.open ? `, open ${p.open === 1 ? 'once' : `${p.open} times`}` : ''} · ${
			p.facts.find((f) => f.side === 'against')?.words ?? p.facts[0]?.words ?? `for ${durationWords(at - p.since)}`
		}`
	}));
}

const packagesOfPool = (db: Db, pool: string, at: number): CardLine[] =>
	deliveryStatesAt(db, at)
		.filter((d) => d.pool === pool)
		.map((d) => ({
			words: `${d.package} ${d.version}`,
			card: `delivery/${pool}/${d.package}`,
			note: `attached to ${d.attached} of ${d.up}, open for ${countWords(d.people, 'person', 'people')}`
		}));

/** Apps of packages that were open in a session. */
const appsOpenIn = (db: Db, session: number, at: number): CardLine[] =>
	all<{
		package: string;
		version: string;
		target: string;
		since: number;
		start: StartKind;
		took: number;
		pool: string;
	}>(
		db,
		`SELECT r.package, r.version, r.target, r.since, r.start, r.took, m.pool_id AS pool FROM app_runs r JOIN machines m ON m.id = r.machine_id
		 WHERE r.session_id = ? AND ${asOf('app_runs r', '?')} ORDER BY r.since`,
		[session, at, at]
	).map((r) => ({
		words: `${r.package} ${r.version}`,
		card: `delivery/${r.pool}/${r.package}`,
		note: `open for ${durationWords(at - r.since)}; ${START_WORDS[r.start]}, ${durationWords(r.took)}`
	}));
