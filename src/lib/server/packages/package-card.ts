import { sameSystem, systemOf, systemWords } from '$lib/core/packages/fits';
import { WRITE_SCOPE_WORDS } from '$lib/core/packages/scope';
import { clashWords } from '$lib/core/packages/clashes';
import { countWords, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Db } from '../db';
import { deliveryStatesAt } from './delivery';
import { lastTrial, warmUpOf } from './prepare';
import { clashesAt, packageAt, type PackageVersionRow } from './queries';
import { trialFacts } from '$lib/core/packages/trial';
import { linesAt } from '../images';
import type { Card, CardAction } from '$lib/core/why/card';
import type { Context } from '../context';
import type { Then } from '../things/catalogue';

/** The card of a package: its newest version, what it starts, where it may write, and whom it clashes with. */
export function packageCard({ db }: Context, name: string, { at }: Then): Card | null {
	const found = packageAt(db, name, at);
	if (!found) return null;
	const newest = found.versions.at(-1)!;
	const { spec } = newest;
	const trial = lastTrial(db, name, newest.number, at);
	const warm = warmUpOf(db, newest, at);
	const clashes = clashesAt(db, at).filter((c) => c.a === name || c.b === name);
	return {
		kind: 'package',
		id: name,
		title: `${name} ${newest.number}`,
		sub: spec.note || `captured on ${systemWords(spec.system)}`,
		rows: [
			{ name: 'made by', value: newest.by },
			{ name: 'captured on', value: systemWords(spec.system) },
			...spec.vouched.map((v) => ({ name: 'vouched for', value: `${systemWords(v.system)}, by ${v.by}` })),
			{ name: 'may write to', value: WRITE_SCOPE_WORDS[spec.writes.usual] },
			{
				name: 'its overlay',
				value: `on the ${spec.writes.overlay.lives}, ${spec.writes.overlay.outlasts ? 'kept' : 'emptied at sign-out'}`
			},
			{ name: 'for', value: spec.teams.length ? spec.teams.join(', ') : 'whoever it is granted to' },
			{ name: 'files', value: `${newest.files}, ${sizeWords(newest.unpacked)}` },
			{ name: 'settings', value: String(newest.settings) },
			{ name: 'packed', value: `${sizeWords(newest.size)}, of which ${sizeWords(newest.added)} its own` },
			...deliveryStatesAt(db, at)
				.filter((d) => d.package === name)
				.map((d) => ({
					name: 'delivered to',
					value: `${d.poolName}: ${d.version}, open for ${countWords(d.people, 'person', 'people')}`,
					card: `delivery/${d.pool}/${name}`
				})),
			{
				name: 'tried',
				value: trial
					? `${trial.passed ? 'passed' : 'failed'} as ${trial.person} on ${trial.line} ${trial.image}`
					: 'not yet'
			},
			{
				name: 'read ahead',
				value: warm.length
					? `${countWords(warm.length, 'file')}, ${sizeWords(warm.reduce((n, w) => n + w.bytes, 0))}`
					: 'nothing'
			},
			...(spec.services.length ? [{ name: 'services', value: spec.services.join(', ') }] : []),
			...(spec.ports.length ? [{ name: 'ports', value: spec.ports.join(', ') }] : [])
		],
		facts: [
			{ words: `it is kept as ${newest.manifest}`, source: 'package store' },
			...spec.vouched.map((v): Fact => ({
				words: `${v.by} vouches for it on ${systemWords(v.system)}: ${v.why}`,
				at: v.at,
				source: 'package'
			})),
			...(trial ? trialFacts(trial.trial).map((f) => ({ ...f, at: trial.at })) : []),
			...clashes.map((c): Fact => ({
				words: `it clashes with ${c.a === name ? c.b : c.a} over ${clashWords(c.counts)}; ${c.clashes[0]?.wins === name ? 'it wins' : 'the other wins'}`,
				side: c.clashes[0]?.wins === name ? 'for' : 'against',
				about: { kind: 'package', id: c.a === name ? c.b : c.a },
				source: 'clashes'
			}))
		],
		actions: [
			{
				words: trial ? 'Try it again' : 'Try it as an ordinary person',
				kind: 'package.try',
				input: { name, number: newest.number },
				main: !trial
			},
			...(trial?.trial.warmUp.length || warm.length
				? [
						{
							words: warm.length ? 'No longer read it ahead' : 'Read it ahead',
							kind: 'package.warm-up',
							input: { name, number: newest.number, use: warm.length === 0 }
						}
					]
				: []),
			{
				words: 'Empty overlays',
				kind: 'package.empty-overlay',
				input: { package: name },
				ask: { field: 'person', words: 'Whose: a login; leave it empty for everybody who does not have it open' }
			},
			...vouching(db, at, newest),
			...found.versions.toReversed().map((v) => ({
				words: `Remove ${v.number}`,
				kind: 'package.remove',
				input: { name, number: v.number }
			}))
		],
		links: found.versions.toReversed().map((v) => ({
			words: `${v.number} as a file`,
			href: `/api/v1/packages/${name}/${v.number}`
		})),
		sections: [
			{
				kind: 'lines',
				title: 'It starts',
				lines: spec.targets.map((t) => ({
					words: t.name,
					note: `${t.command}${t.arguments ? ` ${t.arguments}` : ''}${t.terminal ? '; in a terminal' : ''}${t.opens.length ? `; opens ${t.opens.join(', ')}` : ''}`
				}))
			}
		]
	};
}

/** What can be vouched for: systems of our lines that the version was not captured on; and what is vouched for, to be taken back. */
function vouching(db: Db, at: number, { name, number, spec }: PackageVersionRow): CardAction[] {
	const input = { name, number };
	const ours = new Map(linesAt(db, at).map((l) => [`${l.system} ${l.users}`, l]));
	const fresh = [...ours.values()].filter((l) => {
		const system = systemOf(l.system, l.users);
		return !sameSystem(system, spec.system) && !spec.vouched.some((v) => sameSystem(v.system, system));
	});
	return [
		...fresh.map((l): CardAction => ({
			words: `Vouch for ${systemWords(systemOf(l.system, l.users))}`,
			kind: 'package.vouch',
			input: { ...input, system: l.system, users: l.users },
			ask: { field: 'why', words: 'Why it fits, for the record' }
		})),
		...spec.vouched.map(({ system }): CardAction => ({
			words: `No longer vouch for ${systemWords(system)}`,
			kind: 'package.vouch',
			input: { ...input, system: `${system.name} ${system.version}`.trim(), users: system.users, vouch: false }
		}))
	];
}
