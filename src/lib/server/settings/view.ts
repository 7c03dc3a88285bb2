import { changesBetween } from '$lib/core/settings/compare';
import {
	appliedParts,
	effectiveOf,
	type EffectiveSettings,
	type Groups,
	type Said
} from '$lib/core/settings/effective';
import { writtenGroup } from '$lib/core/settings/file';
import { valueWords, writtenValue } from '$lib/core/settings/kinds';
import { byId } from '$lib/core/settings/own';
import { reachText, underEndpoint, underMachine } from '$lib/core/settings/reach';
import { momentWritten, partedAt, type ComparedRow, type EffectiveRow, type SaidRow } from '$lib/core/settings/rows';
import { EVERYTHING, type Scope, type Term } from '$lib/core/scope/scope';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { teamsByName } from '../directory';
import { branchesAt, endpoints, treeAt } from '../endpoints';
import { machinesPage, peoplePage } from '../watch';
import { catalogueIn, groupsAt, settingsAt } from './queries';
import {
	endpointKnownAt,
	knownAt,
	machineFacts,
	personFacts,
	poolFacts,
	reachNames,
	sessionKnown,
	type Known
} from './subjects';

/** Why something cannot be looked at. */
export class NoSubject extends Error {}

/**
 * What settings are asked for: `endpoint/12`, `machine/desk-01`, `branch/ships` (a device that stands there, and that nobody was on),
 * `person/anna@pool/desks` or `person/anna@machine/desk-01`. Throws NoSubject, with words, for what there is not.
 */
export function subjectAt(db: Db, of: string, at: number): Known {
	const { what, on } = partedAt(of);
	const [kind, ...rest] = what.split('/');
	const id = rest.join('/');
	const none = (words: string) => new NoSubject(words);
	switch (kind) {
		case 'endpoint': {
			const e = /^\d{1,15}$/.test(id) ? endpointKnownAt(db, Number(id), at) : null;
			if (!e) throw none(`There is no endpoint ${id.slice(0, 60)} at this moment.`);
			return e;
		}
		case 'branch': {
			const tree = treeAt(db, at);
			const branch = tree.get(id);
			if (!branch) throw none(`There is no branch ${id.slice(0, 60)} at this moment.`);
			const way = tree.above(id);
			return {
				kind: 'endpoint',
				id: '',
				name: `an endpoint in ${branch.name}`,
				under: underEndpoint({
					id: '',
					site: way.find((b) => b.site !== null)?.site ?? null,
					branch: way.map((b) => b.id),
					person: null
				})
			};
		}
		case 'machine': {
			const m = machineFacts(db, id, at);
			if (!m) throw none(`There is no machine ${id.slice(0, 60)} at this moment.`);
			return machineKnown(m.name, m);
		}
		case 'person': {
			const p = personFacts(db, id, at);
			if (!p) throw none(`Nobody has the login ${id.slice(0, 60)}.`);
			if (on === '') throw none('Say on what, such as person/anna@pool/desks.');
			const [onKind, ...onRest] = on.split('/');
			const where = onRest.join('/');
			const m =
				onKind === 'machine' ? machineFacts(db, where, at) : onKind === 'pool' ? poolFacts(db, where, at) : null;
			if (!m) throw none(`There is no ${on.slice(0, 60)} at this moment.`);
			return sessionKnown(m, p, of, 'poolName' in m ? (m.poolName as string) : m.name);
		}
		default:
			throw none('Say whose: endpoint/12, machine/desk-01, branch/ships, or person/anna@pool/desks.');
	}
}

/** A machine as settings see it. */
export const machineKnown = (name: string, m: Parameters<typeof underMachine>[0]): Known => ({
	kind: 'machine',
	id: name,
	name,
	under: underMachine(m)
});

/** Every setting that counts for something at a moment, in the order of the catalogue. */
export function effectiveRows(db: Db, groups: Groups, settings: EffectiveSettings, at: number): EffectiveRow[] {
	const reachName = reachNames(db, at);
	const costs = new Map(
		(['policies', 'drives'] as const).flatMap((phase) =>
			settings.kind === 'session'
				? appliedParts(groups, settings, phase, 0).flatMap((p) => p.parts.map((x) => [x.name, x.ms] as const))
				: []
		)
	);
	return groups.settingsFor(settings.kind).map((setting): EffectiveRow => {
		const e = effectiveOf(settings, setting);
		const words = (s: Said): SaidRow => ({
			group: s.group.id,
			name: s.group.name,
			rank: s.group.rank,
			by: reachName(s.by),
			value: valueWords(setting.type, s.value)
		});
		return {
			id: setting.id,
			name: setting.name,
			area: setting.area,
			value: valueWords(setting.type, e.value),
			holds: setting.holds,
			takes: costs.get(setting.name) ?? 0,
			from: e.from ? words(e.from) : null,
			overrode: e.overrode.map(words),
			clash: e.clash ? words(e.clash) : null,
			leftOut: e.leftOut.map((s) => ({ ...words(s), out: reachName(s.out) }))
		};
	});
}

/** What counts for something at a moment. Throws NoSubject. */
export function effectiveAt(
	db: Db,
	of: string,
	at: number
): { name: string; kind: Known['kind']; rows: EffectiveRow[] } {
	const subject = subjectAt(db, of, at);
	const groups = settingsAt(db, at);
	return {
		name: subject.name,
		kind: subject.kind,
		rows: effectiveRows(db, groups, groups.effective(subject.kind, subject.under), at)
	};
}

/** What counts otherwise between two, or for one at two moments. Throws NoSubject. */
export function comparedAt(
	db: Db,
	here: { of: string; at: number },
	there: { of: string; at: number }
): { here: string; there: string; rows: ComparedRow[] } {
	const look = ({ of, at }: { of: string; at: number }) => {
		const subject = subjectAt(db, of, at);
		const groups = settingsAt(db, at);
		return { subject, groups, settings: groups.effective(subject.kind, subject.under) };
	};
	const a = look(here);
	const b = look(there);
	if (a.subject.kind !== b.subject.kind)
		throw new NoSubject(
			`${a.subject.name} and ${b.subject.name} have other settings: nothing of them can be compared.`
		);
	const by = (s: EffectiveSettings, id: string) => s.said.get(id)?.from?.group.name ?? null;
	return {
		here: a.subject.name,
		there: b.subject.name,
		rows: changesBetween(a, b).map(({ setting, from, to }) => ({
			id: setting.id,
			name: setting.name,
			area: setting.area,
			here: valueWords(setting.type, from),
			there: valueWords(setting.type, to),
			hereBy: by(a.settings, setting.id),
			thereBy: by(b.settings, setting.id)
		}))
	};
}

/** How many endpoints, machines, and people who signed in within thirty days, of a scope each group reaches, and what of the scope says nothing of any of them. */
export function reachedBy(
	db: Db,
	at: number,
	scope: Scope = EVERYTHING
): { counts: Map<string, Record<Known['kind'], number>>; left: Term[][] } {
	const groups = settingsAt(db, at);
	const counts = new Map(groups.groups.map((g) => [g.id, { endpoint: 0, machine: 0, session: 0 }]));
	const { has, left } = inScope(db, scope, at);
	// Somebody of several pools is one person.
	const met = new Set<string>();
	for (const s of groups.groups.length ? knownAt(db, at) : []) {
		if (!has(s)) continue;
		for (const g of groups.effective(s.kind, s.under).groups) {
			const key = `${g.id} ${s.person?.login}`;
			if (s.person && met.has(key)) continue;
			if (s.person) met.add(key);
			counts.get(g.id)![s.kind]++;
		}
	}
	return { counts, left };
}

/** Which endpoints, machines and people are of a scope at a moment. */
function inScope(db: Db, scope: Scope, at: number): { has: (s: Known) => boolean; left: Term[][] } {
	if (scope.terms.length === 0) return { has: () => true, left: [] };
	const ask = { at, scope, sort: 'name', descending: false, limit: -1, offset: 0 };
	const devices = endpoints.page(db, ask);
	const machines = machinesPage(db, ask);
	const people = peoplePage(db, ask);
	const of = {
		endpoint: new Set(devices.rows.map((r) => String(r.id))),
		machine: new Set(machines.rows.map((r) => r.name)),
		session: new Set(people.rows.map((r) => r.login))
	};
	return {
		has: (s) => of[s.kind].has(s.kind === 'session' ? s.person!.login : s.id),
		left: [devices.left, machines.left, people.left]
	};
}

/** What the view of settings asks for. */
interface SettingsAsk {
	scope: Scope;
	list: 'groups' | 'effective' | 'compare' | 'settings';
	at: number;
	of: string;
	with: string;
	/** A moment as it is written; empty: the same. */
	then: string;
	/** Whether a form is open that offers what there is. */
	form: boolean;
	edit: string | null;
}

/** What the view of settings shows. */
export function settingsView(db: Db, ask: SettingsAsk) {
	const { at } = ask;
	const catalogue = catalogueIn(db);
	const rows = groupsAt(db, at, catalogue);
	const settings = byId(catalogue);
	const reachName = reachNames(db, at);
	const said = (words: () => object) => {
		try {
			return words();
		} catch (e) {
			if (e instanceof NoSubject) return { wrong: e.message };
			throw e;
		}
	};
	const reached = ask.list === 'groups' ? reachedBy(db, at, ask.scope) : null;
	const then = ask.then === '' ? at : momentWritten(ask.then);
	const edit = rows.find((g) => g.id === ask.edit);
	return {
		groups: rows.map((g) => ({
			id: g.id,
			name: g.name,
			note: g.note,
			rank: g.rank,
			by: g.by,
			since: g.since,
			values: Object.entries(g.values).flatMap(([id, value]) => {
				const setting = settings.get(id);
				return setting ? [{ name: setting.name, value: valueWords(setting.type, value) }] : [];
			}),
			assigned: g.assigned.map((r) => ({ kind: r.kind, name: reachName(r) })),
			excluded: g.excluded.map((r) => ({ kind: r.kind, name: reachName(r) })),
			reaches: reached?.counts.get(g.id) ?? { endpoint: 0, machine: 0, session: 0 }
		})),
		/** Terms of the scope that say nothing here; nothing but what groups reach is narrowed by it. */
		left: reached ? reached.left : [ask.scope.terms],
		editing: edit ? writtenGroup(settings, edit) : null,
		called: edit
			? Object.fromEntries([...edit.assigned, ...edit.excluded].map((r) => [reachText(r), reachName(r)]))
			: {},
		catalogue:
			ask.list === 'settings' || ask.form
				? catalogue.map((s) => ({
						...s,
						usualWords: valueWords(s.type, s.usual),
						usualWritten: writtenValue(s.type, s.usual),
						groups: rows.filter((g) => Object.hasOwn(g.values, s.id)).map((g) => ({ id: g.id, name: g.name }))
					}))
				: [],
		reaches: ask.form ? reachesAt(db, at) : [],
		/** How what is asked for is called, for the fields that ask. */
		names: { of: calledAt(db, ask.of, at), with: calledAt(db, ask.with, at) },
		effective:
			ask.list === 'effective' && ask.of
				? (said(() => effectiveAt(db, ask.of, at)) as ReturnType<typeof effectiveAt> | { wrong: string })
				: null,
		compared:
			ask.list === 'compare' && ask.of
				? ((then === null
						? { wrong: 'Write a moment with its zone, such as 2026-11-17T14:05Z.' }
						: said(() => comparedAt(db, { of: ask.of, at }, { of: ask.with || ask.of, at: then }))) as
						ReturnType<typeof comparedAt> | { wrong: string })
				: null
	};
}

/** How something that settings are asked for is called: of somebody on something, the person; null where there is none. */
function calledAt(db: Db, of: string, at: number): string | null {
	if (of === '') return null;
	try {
		const known = subjectAt(db, of, at);
		return of.startsWith('branch/')
			? reachNames(db, at)({ kind: 'branch', id: of.slice(7) })
			: (known.person?.name ?? known.name);
	} catch {
		return null;
	}
}

/** What groups can be assigned to, but for single ones. */
function reachesAt(db: Db, at: number): { id: string; name: string; sub: string }[] {
	const say = (kind: string, rows: { id: string; name: string }[], sub: string) =>
		rows.map((r) => ({ id: `${kind}/${r.id}`, name: r.name, sub }));
	return [
		{ id: 'everything', name: 'everything', sub: 'endpoints, machines and sessions' },
		{ id: 'endpoints', name: 'all endpoints', sub: 'whatever people sit at' },
		{ id: 'machines', name: 'all hosted machines', sub: 'and the sessions on them' },
		...say('branch', branchesAt(db, at), 'branch'),
		...say('pool', all(db, `SELECT id, name FROM pools WHERE ${asOf('pools')} ORDER BY name`, { at }), 'pool'),
		...say('team', teamsByName(db), 'team'),
		...say('site', all(db, 'SELECT id, name FROM sites ORDER BY name'), 'site'),
		...say('line', all(db, 'SELECT id, name FROM lines ORDER BY name'), 'image line'),
		...say(
			'version',
			all(
				db,
				`SELECT line_id || '/' || number AS id, line_id || ' ' || number AS name FROM versions ORDER BY line_id, built_at DESC`
			),
			'version'
		)
	];
}
