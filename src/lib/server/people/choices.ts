import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { recordThen } from '$lib/core/people/record';
import { DAY, FOREVER } from '$lib/core/time/units';
import { type KnownPerson, recordOf, recordsOf, saidBy, SOURCE_WORDS, teamsByName } from '../directory';
import { freeAt, knowsDevicesAt, withoutDevice } from '../endpoints';
import { poolsAt } from '../pools';
import { publicationsAt } from '../publications';
import { knownHere } from './files';
import { fitFor } from './fitting';
import { handoverOf } from './handovers';
import { keptPools } from './kept';

const said = (db: Db, column: 'pattern' | 'employment', at: number): string[] =>
	all<{ id: string }>(
		db,
		`SELECT f.${column} AS id FROM person_facts f WHERE ${asOf('person_facts f')} GROUP BY 1 ORDER BY count(*) DESC, 1 LIMIT 100`,
		{ at }
	).map((r) => r.id);

/** Pools whose machines people keep. */
export const personalPools = (db: Db, at: number): { id: string; name: string }[] =>
	poolsAt(db, at)
		.filter((p) => p.assignment === 'personal')
		.map((p) => ({ id: p.id, name: p.name }));

/** Kinds of employment that there are, most often first. */
export const employmentsOf = (db: Db, at: number): string[] => said(db, 'employment', at);

/** What a form for a person offers: what there is, and what is said of others, most often first. */
export function formChoices(db: Db, at: number) {
	return {
		sites: all<{ id: string; name: string; zone: string }>(
			db,
			'SELECT id, name, time_zone AS zone FROM sites ORDER BY position, name'
		),
		teams: teamsByName(db),
		patterns: said(db, 'pattern', at),
		employments: employmentsOf(db, at)
	};
}

/** Somebody of our own list, to be changed; null where nobody is called so, or others tell of them. */
export function ownPerson(db: Db, login: string | null, at: number): KnownPerson | null {
	if (login === null) return null;
	const known = knownHere(db, at, recordsOf(db, [login], at));
	const person = known.people.get(login);
	return person && known.shut('person', login) === null ? person : null;
}

/** Somebody who leaves, for a form: when, as far as it is known, and what is agreed. */
export function leaverNow(db: Db, login: string | null, at: number) {
	const p = login === null ? null : recordOf(db, login, at);
	if (!p) return null;
	const agreed = handoverOf(db, p.id, at);
	return {
		login: p.now,
		name: p.name,
		site: p.site,
		ends: p.ends < FOREVER ? p.ends : null,
		/** Who says when they end, where it is not said here. */
		told: p.source === 'here' ? null : SOURCE_WORDS[p.source],
		agreed: agreed && {
			sessions: agreed.sessions,
			words: agreed.words,
			to: agreed.to,
			after: agreed.after,
			keepDays: agreed.keepDays
		}
	};
}

/** People who are welcomed, for a form: as they are known, what fits them, and what there is to give. */
export function welcomeNow(db: Db, logins: readonly string[], at: number) {
	const say = saidBy(db);
	const people = [...recordsOf(db, logins.slice(0, 100), at).values()];
	const [first] = people;
	const then = first && recordThen(first, Math.max(at, first.begins));
	return {
		people: people.map((p) => ({
			login: p.now,
			name: p.name,
			place: [p.memberOf[0] && say.team(p.memberOf[0]), say.site(p.site)].filter(Boolean).join(', '),
			begins: p.begins > at ? say.day(p.begins, p.site) : null,
			mail: p.mail,
			own: p.source === 'here'
		})),
		fit: then ? fitFor(db, { team: then.memberOf[0] ?? '', site: then.site, at }) : null,
		/** Endpoints that are free where the first of them sits, and how many of them have none; null where none are known there. */
		devices:
			then && knowsDevicesAt(db, then.site, at)
				? {
						free: freeAt(db, then.site, at).length,
						without: withoutDevice(
							db,
							people.map((p) => p.now),
							then.site,
							at
						).length
					}
				: null,
		pools: personalPools(db, at),
		publications: publicationsAt(db, at)
			.filter((p) => !p.off)
			.map((p) => ({ id: p.id, name: p.internalName }))
	};
}

/** What a pool can be kept for, for a form, and which pools are. */
export function keepingNow(db: Db, at: number) {
	const names = new Map(poolsAt(db, at).map((p) => [p.id, p]));
	const say = saidBy(db);
	return {
		pools: [...names.values()].filter((p) => p.assignment === 'personal').map((p) => ({ id: p.id, name: p.name })),
		publications: publicationsAt(db, at).map((p) => ({ id: p.id, name: p.internalName })),
		kept: keptPools(db, at).map((k) => ({
			pool: k.pool,
			name: names.get(k.pool)?.name ?? k.pool,
			team: k.team,
			for: say.team(k.team),
			employment: k.asks.employment ?? null,
			publication: k.asks.publication ?? null,
			aheadDays: Math.round(k.ahead / DAY)
		}))
	};
}
