import { asOf, asOfByEnd } from '../db/intervals';
import type { Facet, Scope, Term } from '$lib/core/scope/scope';
import { folded } from '$lib/core/text/nearest';
import { SAMPLED_STRAIN } from '../samples/read';
import { ENDPOINT_STATE, withBelow } from './endpoint-sql';
import { ofTeams, siteOf } from './people-sql';

/** A condition to put behind WHERE, with its named parameters. */
export interface Condition {
	sql: string;
	params: Record<string, unknown>;
}

/** The lists that a scope can narrow. */
export type Subject = 'machine' | 'session' | 'person' | 'host' | 'endpoint';

/**
 * Sessions `s` that are open at @at. By their end, of which few lie ahead of a moment that is about now: all that have begun before it are
 * nearly all that there were. The planner cannot tell, so the sign keeps it from the index of beginnings.
 */
export const OPEN = asOfByEnd('sessions s');
const onMachine = (where: string) =>
	`EXISTS (SELECT 1 FROM sessions s JOIN people pe ON pe.id = s.person_id WHERE s.machine_id = m.id AND ${OPEN} AND ${where})`;
const ofPerson = (where: string) =>
	`EXISTS (SELECT 1 FROM sessions s JOIN machines m ON m.id = s.machine_id JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')} WHERE s.person_id = pe.id AND ${OPEN} AND ${where})`;
const onHost = (where: string) =>
	`EXISTS (SELECT 1 FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id WHERE pl.host_id = h.id AND ${asOf('machine_spots pl')} AND ${where})`;

const strain = `coalesce(${SAMPLED_STRAIN}, 0)`;

/**
 * One facet as SQL over a subject's aliases: m machine, pl spot, st state, h host, pe person, s session; of an endpoint e itself, f facts, sp
 * spot, st state. `$` is the list of values.
 */
const FACET_SQL: Record<Subject, Partial<Record<Facet, string>>> = {
	machine: {
		site: 'm.site_id IN $',
		pool: 'm.pool_id IN $',
		machine: 'm.name IN $',
		host: 'h.name IN $',
		line: 'pl.line_id IN $',
		version: 'pl.version IN $',
		state: 'st.state IN $',
		team: onMachine(`pe.id IN ${ofTeams('$')}`),
		person: onMachine('pe.login IN $'),
		gateway: onMachine('s.gateway_id IN $'),
		protocol: onMachine('s.protocol IN $'),
		publication: onMachine('s.publication_id IN $')
	},
	session: {
		site: 'm.site_id IN $',
		pool: 'm.pool_id IN $',
		machine: 'm.name IN $',
		host: 'h.name IN $',
		line: 'pl.line_id IN $',
		version: 'pl.version IN $',
		state: 'ss.state IN $',
		team: `pe.id IN ${ofTeams('$')}`,
		person: 'pe.login IN $',
		gateway: 's.gateway_id IN $',
		protocol: 's.protocol IN $',
		publication: 's.publication_id IN $'
	},
	person: {
		site: `${siteOf('pe.id')} IN $`,
		team: `pe.id IN ${ofTeams('$')}`,
		person: 'pe.login IN $',
		pool: ofPerson('m.pool_id IN $'),
		machine: ofPerson('m.name IN $'),
		host: ofPerson('pl.host_id IN (SELECT id FROM hosts WHERE name IN $)'),
		line: ofPerson('pl.line_id IN $'),
		version: ofPerson('pl.version IN $'),
		gateway: ofPerson('s.gateway_id IN $'),
		protocol: ofPerson('s.protocol IN $'),
		publication: ofPerson('s.publication_id IN $')
	},
	host: {
		site: 'h.site_id IN $',
		host: 'h.name IN $',
		pool: onHost('m.pool_id IN $'),
		machine: onHost('m.name IN $'),
		line: onHost('pl.line_id IN $'),
		version: onHost('pl.version IN $')
	},
	// Many belong to nobody, or stand nowhere: of them it is true that they are not of a site.
	endpoint: {
		endpoint: 'f.name IN $ OR e.serial IN $',
		site: `coalesce(f.site_id, '') IN $`,
		model: 'f.model IN $',
		state: `${ENDPOINT_STATE} IN $`,
		branch: `coalesce(sp.branch_id, '') IN ${withBelow('$')}`,
		person: `coalesce(pe.login, '') IN $`,
		team: `coalesce(f.person_id, 0) IN ${ofTeams('$')}`
	}
};

const MEASURE_SQL: Record<Subject, Partial<Record<'signin' | 'strain' | 'sessions', string>>> = {
	machine: {
		signin: onMachine('s.sign_in ? $'),
		strain: `${strain} ? $`,
		sessions: `(SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND ${OPEN}) ? $`
	},
	session: { signin: 's.sign_in ? $', strain: `${strain} ? $` },
	person: {
		signin: ofPerson('s.sign_in ? $'),
		strain: ofPerson(`${strain} ? $`),
		sessions: `(SELECT count(*) FROM sessions s WHERE s.person_id = pe.id AND ${OPEN}) ? $`
	},
	host: {},
	endpoint: {}
};

const TEXTS: Record<Subject, string[]> = {
	machine: ['m.name', 'm.pool_id'],
	session: ['pe.name', 'pe.login', 'm.name'],
	person: ['pe.name', 'pe.login'],
	host: ['h.name'],
	endpoint: ['f.name', 'e.serial', 'f.model', 'f.address', `coalesce(pe.name, '')`]
};

/** Whether a column holds a text. SQLite's own comparison knows capitals of ASCII alone, and is the quicker one. */
const holds = (column: string, key: string, plain: boolean): string =>
	plain ? `${column} LIKE @${key} ESCAPE '\\'` : `instr(folded(${column}), @${key}) > 0`;
const isPlain = (text: string): boolean => [...text].every((c) => c.charCodeAt(0) < 128);

/**
 * The scope as a condition on a list. Terms that do not apply to it are left out and listed, so that the page can
 * say so. Its parameters come beside those of `atMoment`.
 */
export function scopeCondition(scope: Scope, subject: Subject): Condition & { left: Term[] } {
	const params: Record<string, unknown> = {};
	const parts: string[] = [];
	const left: Term[] = [];
	const bounds = new Map<string, string[]>();
	scope.terms.forEach((term, i) => {
		const key = `k${i}`;
		let sql: string | undefined;
		if (term.kind === 'facet') {
			sql = FACET_SQL[subject][term.facet]?.replaceAll('$', `(SELECT value FROM json_each(@${key}))`);
			if (sql) params[key] = JSON.stringify(term.values);
		} else if (term.kind === 'measure') {
			const measured = MEASURE_SQL[subject][term.measure];
			// Several bounds of one value are looked at together, so that it is worked out once for each row.
			if (measured?.endsWith(' ? $')) {
				params[key] = term.value;
				const value = measured.slice(0, -' ? $'.length);
				const bound = `v ${term.compare} @${key}`;
				bounds.set(value, [...(bounds.get(value) ?? []), term.not ? `NOT (${bound})` : bound]);
				return;
			}
			sql = measured?.replace('?', term.compare).replace('$', `@${key}`);
			if (sql) params[key] = term.value;
		} else {
			const plain = isPlain(term.text);
			sql = TEXTS[subject].map((column) => holds(column, key, plain)).join(' OR ');
			params[key] = plain ? `%${term.text.replaceAll(/[\\%_]/g, '\\$&')}%` : folded(term.text);
		}
		if (sql === undefined) left.push(term);
		else parts.push(term.not ? `NOT (${sql})` : `(${sql})`);
	});
	for (const [value, all] of bounds) parts.push(`(SELECT ${all.join(' AND ')} FROM (SELECT ${value} AS v))`);
	return { sql: parts.length ? parts.join(' AND ') : '1', params, left };
}
