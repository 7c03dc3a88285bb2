import type { Change } from '$lib/core/settings/compare';
import { effectiveOf } from '$lib/core/settings/effective';
import { valueWords } from '$lib/core/settings/kinds';
import { byId } from '$lib/core/settings/own';
import { countWords } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import { slowestPart, unusualPhase } from '$lib/core/watch/phases';
import type { Card, CardLine, CardSection } from '$lib/core/why/card';
import type { Context } from '../context';
import { homeZone } from '../capacity';
import { one, type Db } from '../db';
import type { Then } from '../things/catalogue';
import { connectionOf, usualPhases } from '../watch';
import { catalogueIn, groupAt, settingsAt } from './queries';
import { endpointKnownAt, machineFacts, personFacts, reachNames, sessionKnown, type Known } from './subjects';
import { waitingAt } from './waiting';
import { machineKnown, reachedBy } from './view';

/** Settings that a card says one by one. */
const SAID = 12;

/** As many as one plan of restarts takes. */
const AT_ONCE = 500;

/** Endpoints and machines that run on what counted before, where what a group says counts now or did then. */
function waitingFor(db: Db, group: string, at: number): Record<'endpoint' | 'machine', string[]> {
	const now = settingsAt(db, at);
	const waiting = { endpoint: [] as string[], machine: [] as string[] };
	for (const { subject, changes, then } of waitingAt(db, at)) {
		const { kind, id, under } = subject;
		if (kind === 'session') continue;
		const is = now.effective(kind, under);
		const was = then.effective(kind, under);
		const by = (e: typeof is, c: Change) => effectiveOf(e, c.setting).from?.group.id === group;
		if (changes.some((c) => by(is, c) || by(was, c))) waiting[kind].push(id);
	}
	return waiting;
}

export function settingsGroupCard({ db }: Context, id: string, { at, live }: Then): Card | null {
	const g = groupAt(db, id, at);
	if (!g) return null;
	const settings = byId(catalogueIn(db));
	const name = reachNames(db, at);
	const reached = reachedBy(db, at).counts.get(id)!;
	const values = Object.entries(g.values);
	const waiting = waitingFor(db, id, at);
	return {
		kind: 'settings-group',
		id,
		title: g.name,
		sub: `${countWords(values.length, 'setting')}, rank ${g.rank}`,
		rows: [
			{ name: 'assigned to', value: g.assigned.map(name).join(', ') || 'nothing' },
			...(g.excluded.length ? [{ name: 'left out', value: g.excluded.map(name).join(', ') }] : []),
			{
				name: 'reaches',
				value: `${countWords(reached.endpoint, 'endpoint')}, ${countWords(reached.machine, 'machine')}, ${countWords(reached.session, 'person', 'people')} who signed in within 30 days`
			},
			...(waiting.endpoint.length + waiting.machine.length
				? [
						{
							name: 'not taken yet',
							value: `by ${countWords(waiting.endpoint.length, 'endpoint')} and ${countWords(waiting.machine.length, 'machine')} that run: they take it as they next start`
						}
					]
				: []),
			...(g.note ? [{ name: 'note', value: g.note }] : [])
		],
		facts: [
			{ words: `it is as it is by ${g.by}`, at: g.since, source: 'settings' },
			...(g.assigned.length
				? []
				: [{ words: 'it is assigned to nothing: it counts nowhere', side: 'against' as const, source: 'settings' }])
		],
		actions: [
			...(live && waiting.endpoint.length
				? [
						{
							words: `Restart ${countWords(Math.min(waiting.endpoint.length, AT_ONCE), 'endpoint')}`,
							kind: 'endpoint.restart',
							input: { endpoints: waiting.endpoint.slice(0, AT_ONCE).map(Number) }
						}
					]
				: []),
			...(live && waiting.machine.length
				? [
						{
							words: `Restart ${countWords(Math.min(waiting.machine.length, AT_ONCE), 'machine')}`,
							kind: 'machine.restart',
							input: { machines: waiting.machine.slice(0, AT_ONCE) }
						}
					]
				: []),
			{ words: 'Remove it', kind: 'settings.remove', input: { group: id } }
		],
		links: [{ words: 'Change it', href: `/publish/settings?make=group&edit=${encodeURIComponent(id)}` }],
		sections: [
			{
				kind: 'lines',
				title: 'What it says',
				lines: values.flatMap(([key, value]) => {
					const setting = settings.get(key);
					return setting
						? [{ words: setting.name, note: `${valueWords(setting.type, value)}, ${holdsNote[setting.holds]}` }]
						: [];
				})
			}
		]
	};
}

const holdsNote = {
	'at once': 'at once',
	'next sign-in': 'from the next sign-in',
	'next start': 'from the next start'
} as const;

/** What settings add to the cards of endpoints, machines and sessions: what groups say of them, and which part of a sign-in is theirs. */
export function settingsAdds(
	ctx: Context,
	kind: string,
	id: string,
	{ at, live }: Then
): Partial<Pick<Card, 'sections' | 'actions'>> & { lead?: CardSection[] } {
	const found = subjectOf(ctx, kind, id, at);
	if (!found) return {};
	const waits =
		kind === 'endpoint' || kind === 'machine' ? (waitingAt(ctx.db, found.at, { kind, id })[0]?.changes ?? []) : [];
	const groups = settingsAt(ctx.db, found.at);
	const settings = groups.effective(found.known.kind, found.known.under);
	const said = groups
		.settingsFor(found.known.kind)
		.filter((s) => settings.said.has(s.id))
		.map((s) => effectiveOf(settings, s));
	const lines: CardLine[] = said.slice(0, SAID).map((e) => ({
		words: e.setting.name,
		note: `${valueWords(e.setting.type, e.value)}, ${e.from ? `by ${e.from.group.name}` : `as usual: left out of ${e.leftOut[0]!.group.name}`}`,
		...(e.from ? { card: `settings-group/${e.from.group.id}` } : {})
	}));
	return {
		...(kind === 'session' ? slowPart(ctx, Number(id), found, { at, live }) : {}),
		sections: [
			...(waits.length
				? [
						{
							kind: 'lines' as const,
							title: 'Taken at its next start',
							lines: waits.slice(0, SAID).map((c) => ({
								words: c.setting.name,
								note: `${valueWords(c.setting.type, c.to)}; until then ${valueWords(c.setting.type, c.from)}`
							}))
						}
					]
				: []),
			...(said.length
				? [
						{
							kind: 'lines' as const,
							title: 'Settings that groups say',
							lines: [
								...lines,
								...(said.length > SAID ? [{ words: `and ${said.length - SAID} more` }] : []),
								{
									words: 'All that count',
									href: `/publish/settings?list=effective&of=${encodeURIComponent(found.of)}${live ? '' : `&at=${at}`}`
								}
							]
						}
					]
				: [])
		]
	};
}

/** What a card is about, as settings see it, and the moment whose settings are its own. */
interface About {
	known: Known;
	of: string;
	at: number;
	pool: string;
}

function subjectOf({ db }: Context, kind: string, id: string, at: number): About | null {
	if (kind === 'endpoint') {
		const known = /^\d{1,15}$/.test(id) ? endpointKnownAt(db, Number(id), at) : null;
		return known ? { known, of: `endpoint/${id}`, at, pool: '' } : null;
	}
	if (kind === 'machine') {
		const m = machineFacts(db, id, at);
		return m ? { known: machineKnown(id, m), of: `machine/${id}`, at, pool: m.pool } : null;
	}
	if (kind !== 'session') return null;
	const s = one<{ login: string; machine: string; since: number }>(
		db,
		`SELECT p.login, m.name AS machine, s.since FROM sessions s JOIN people p ON p.id = s.person_id JOIN machines m ON m.id = s.machine_id WHERE s.id = ?`,
		[Number(id)]
	);
	// Settings of a session are those of its sign-in.
	const m = s ? machineFacts(db, s.machine, s.since) : null;
	const p = s ? personFacts(db, s.login, s.since) : null;
	if (!m || !p) return null;
	const of = `person/${p.login}@machine/${m.name}`;
	return { known: sessionKnown(m, p, of, m.name), of, at: s!.since, pool: m.pool };
}

/** The group that made a sign-in slow: who changed it last, and the plan that takes it out for this pool. */
function slowPart(
	{ db }: Context,
	session: number,
	{ known, pool }: About,
	{ at, live }: Then
): Partial<Pick<Card, 'actions'>> & { lead?: CardSection[] } {
	const connection = connectionOf(db, session);
	const odd = connection ? unusualPhase(connection.phases, usualPhases(db, connection.began)) : null;
	const part = odd ? slowestPart(odd.phase) : undefined;
	const group = part?.group === undefined ? null : groupAt(db, part.group, at);
	if (!group) return {};
	const out = !settingsAt(db, at)
		.effective('session', known.under)
		.groups.some((g) => g.id === group.id);
	return {
		lead: [
			{
				kind: 'lines',
				title: 'Slow by a settings group',
				lines: [
					{
						words: group.name,
						card: `settings-group/${group.id}`,
						note: `changed last by ${group.by}, ${momentWords(homeZone(db), group.since)}${out ? '; it reaches such sessions no more' : ''}`
					}
				]
			}
		],
		actions:
			live && !out
				? [
						{
							words: `Leave its pool out of ${group.name}`,
							kind: 'settings.leave-out',
							input: { group: group.id, from: `pool/${pool}` }
						}
					]
				: []
	};
}
