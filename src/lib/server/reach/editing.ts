import { CHANNEL_NAMES, channelWords } from '$lib/core/reach/channels';
import { writtenRule, type WrittenRule } from '$lib/core/reach/written';
import type { AccessRule } from '$lib/core/reach/rules';
import type { Db } from '../db';
import { all } from '../db';
import { everybody } from '../directory';
import { servicesAt, spokenAt } from './queries';
import { inForceAt } from './standing';

/** Something that a rule can speak of, as it is written in one. */
export interface Pickable {
	id: string;
	name: string;
	sub?: string;
}

/** What a rule can speak of, by the field that it is picked in; people are searched for. */
export function pickables(db: Db, at: number): Record<'who' | 'what' | 'from' | 'on' | 'branches', Pickable[]> {
	const { all: ids, names } = spokenAt(db, at);
	const of = (kind: 'site' | 'pool' | 'branch', say: (id: string) => string, prefix = ''): Pickable[] =>
		[...ids(kind)].map((id) => ({ id: prefix + id, name: say(id) }));
	const employments = [...new Set(everybody(db, at).map((p) => p.employment))].filter((e) => e !== '').sort();
	const groups = [...new Set(servicesAt(db, at).flatMap((s) => s.group ?? []))].sort();
	return {
		who: [
			...[...ids('team')].map((id) => ({ id: `team/${id}`, name: names.whom([{ kind: 'team', id }]), sub: 'team' })),
			...employments.map((e) => ({ id: `employment/${e}`, name: `${e} people`, sub: 'kind of employment' }))
		],
		what: [
			{ id: 'web', name: 'all of the web' },
			{ id: 'services', name: 'all private services' },
			...[...ids('service')].map((id) => ({
				id: `service/${id}`,
				name: names.what([{ kind: 'service', id }]),
				sub: 'private service'
			})),
			...groups.map((id) => ({ id: `group/${id}`, name: `services of ${id}`, sub: 'group of services' })),
			{ id: 'channels', name: names.what([{ kind: 'channels' }]) },
			...CHANNEL_NAMES.map((id) => ({
				id: `channel/${id}`,
				name: channelWords(id),
				sub: 'what passes a session'
			})),
			...[...ids('category')].map((id) => ({
				id: `category/${id}`,
				name: names.what([{ kind: 'category', id }]),
				sub: 'site category'
			}))
		],
		from: of('site', (id) => names.from([{ kind: 'site', id }]), 'site/'),
		on: of('pool', (id) => names.pools([id])),
		branches: of('branch', (id) => names.branches([id]))
	};
}

/** A rule as the form of it begins, with what the people in it are called; null: there is none of that id. */
export function editedRule(
	db: Db,
	id: string,
	rules: readonly AccessRule[] | null,
	at: number
): { written: WrittenRule; people: Record<string, string> } | null {
	const rule = (rules ?? inForceAt(db, at).book.rules).find((r) => r.id === id);
	if (!rule) return null;
	const logins = [...rule.who, ...rule.whoNot].flatMap((w) => (w.kind === 'person' ? [w.id] : []));
	const named = all<{ login: string; name: string }>(
		db,
		'SELECT login, name FROM people WHERE login IN (SELECT value FROM json_each(?))',
		[JSON.stringify(logins)]
	);
	return {
		written: writtenRule(rule),
		people: Object.fromEntries(named.map((p) => [`person/${p.login}`, p.name]))
	};
}
