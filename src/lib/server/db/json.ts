import * as v from 'valibot';
import { isSpec, systemSchema } from '$lib/core/packages/spec-schema';
import { noEffects } from '$lib/core/plans/effects';
import type { Db } from './index';

/**
 * The columns that hold JSON: of what form it is, and what stands for a value that cannot be read. A row is written by the product
 * itself; yet a disk, a hand or an older version may have left something else there, and nothing of that may keep Sextant from
 * starting or a page from showing. Whoever reads such a column reads it with `fromJson`; whatever cannot be read is a finding.
 */
interface JsonColumn {
	is(value: unknown): boolean;
	/** Made anew each time: callers change what they read. */
	instead(): unknown;
}

const some = (is: JsonColumn['is'], instead: JsonColumn['instead']): JsonColumn => ({ is, instead });
const objects = (...fields: [string, 'string' | 'number'][]) => {
	const one = (e: unknown) =>
		typeof e === 'object' && e !== null && fields.every(([f, t]) => typeof (e as Record<string, unknown>)[f] === t);
	return some(
		(x) => Array.isArray(x) && x.every(one),
		() => []
	);
};
const listOf = (type: 'string' | 'number') =>
	some(
		(x) => Array.isArray(x) && x.every((e) => typeof e === type),
		() => []
	);
const isObject = (x: unknown): x is Record<string, unknown> => typeof x === 'object' && x !== null && !Array.isArray(x);
const objectOr = (instead: () => unknown, has: (x: Record<string, unknown>) => boolean = () => true) =>
	some((x) => isObject(x) && has(x), instead);
const schema = (s: v.GenericSchema, instead: () => unknown) => some((x) => v.is(s, x), instead);

const facts = objects(['words', 'string']);
const nothing = () => null;
/** A plan, as what undoes or mends something. */
const plan = objectOr(nothing, (x) => typeof x.kind === 'string');
const sheet = objectOr(
	() => ({ steps: [], limit: 0, builder: { cores: 1, memory: 1, disk: 1, generation: 2 } }),
	(x) =>
		Array.isArray(x.steps) &&
		x.steps.every((s) => isObject(s) && typeof s.kind === 'string' && isObject(s.with)) &&
		isObject(x.builder) &&
		typeof x.limit === 'number'
);
const touched = v.array(v.looseObject({ id: v.string() }));
const effects = v.looseObject({
	people: touched,
	sessionsEnded: touched,
	endpoints: v.optional(touched),
	machines: touched,
	bytes: v.number(),
	duration: v.object({ middle: v.number(), ninety: v.number() }),
	cost: v.nullable(v.object({ before: v.number(), after: v.number() }))
});
const counts = objectOr(
	() => ({}),
	(x) => Object.values(x).every((n) => typeof n === 'number')
);
const anything = some(
	() => true,
	() => ({})
);
const components = objects(['name', 'string'], ['version', 'string']);

export const JSON_COLUMNS = {
	'sites.links': objects(['to', 'string'], ['mbit', 'number']),
	'sheets.body': sheet,
	'versions.contents': components,
	'versions.sheet': sheet,
	'builds.sheet': sheet,
	'hours.days': listOf('number'),
	// A policy that cannot be read switches nothing on or off.
	'pools.policy': objectOr(
		() => ({ hours: '', headroomIn: 0, headroomOut: 0, least: 0, most: 1e6, patience: 1e15, placing: 'spread' }),
		(x) =>
			typeof x.hours === 'string' &&
			(['headroomIn', 'headroomOut', 'least', 'most', 'patience'] as const).every((k) => typeof x[k] === 'number')
	),
	'pools.boot_servers': listOf('string'),
	'coming_moves.member_of': listOf('string'),
	'handovers.handed': objectOr(
		() => ({ answersFor: [], reports: [], schedules: [] }),
		(x) => ['answersFor', 'reports', 'schedules'].every((k) => Array.isArray(x[k]))
	),
	// Machines are made for nobody by what cannot be read.
	'kept_pools.asks': objectOr(() => ({ employment: 'unreadable' })),
	'power_actions.facts': facts,
	'connections.phases': objects(['name', 'string'], ['ms', 'number']),
	'connections.cause': facts,
	'waits.pools': listOf('string'),
	'publications.pools': listOf('string'),
	// Without one it would be a desktop.
	'publications.app': objectOr(
		() => ({ package: 'unreadable', target: '' }),
		(x) => typeof x.package === 'string' && typeof x.target === 'string'
	),
	'publications.look': objectOr(() => ({})),
	// Empty would mean everybody.
	'publications.visible': some(
		(x) => Array.isArray(x) && x.every((e) => typeof e === 'string'),
		() => ['unreadable']
	),
	// Who may have what is never guessed: a grant whose conditions cannot be read is none.
	'grants.conditions': objectOr(nothing),
	'grants.channels': listOf('string'),
	'unusual_activity.aspects': objects(['aspect', 'string'], ['bits', 'number'], ['words', 'string']),
	'findings.facts': facts,
	// Of columns that cannot be read nothing is shown.
	'reports.spec': objectOr(
		() => ({ columns: [], group: null, chart: null, sort: '', descending: false, limit: 1, zone: '' }),
		(x) =>
			Array.isArray(x.columns) &&
			x.columns.every((c) => typeof c === 'string') &&
			typeof x.limit === 'number' &&
			typeof x.sort === 'string' &&
			(x.group === null || isObject(x.group))
	),
	'report_runs.made': objectOr(
		() => ({ columns: [], lines: [], rows: 0, all: 0, bars: [], drawn: null, left: [] }),
		(x) =>
			['lines', 'bars', 'left'].every((k) => Array.isArray(x[k])) &&
			(x.lines as unknown[]).every(Array.isArray) &&
			(x.bars as unknown[]).every((b) => isObject(b) && typeof b.value === 'number') &&
			Array.isArray(x.columns) &&
			x.columns.every((c) => isObject(c) && typeof c.key === 'string' && typeof c.words === 'string')
	),
	'findings.remedy': plan,
	'plans.input': anything,
	'plans.effects': schema(effects, noEffects),
	'plans.warnings': facts,
	'plans.blocks': facts,
	'plans.reasons': facts,
	'plans.touches': objectOr(
		() => ({ objects: [], revisions: {} }),
		(x) => Array.isArray(x.objects) && x.objects.every((o) => typeof o === 'string') && isObject(x.revisions)
	),
	'plans.steps': objects(['kind', 'string'], ['words', 'string']),
	'plans.undo': plan,
	'plans.refused': facts,
	'jobs.result': objectOr(() => ({})),
	'job_steps.input': anything,
	'changes.objects': listOf('string'),
	'changes.undo': plan,
	// A rule that cannot be read takes nothing.
	'follow_rules.rule': objectOr(
		() => ({ takes: 'nothing' }),
		(x) =>
			x.takes === 'newest' ||
			x.takes === 'nothing' ||
			(x.takes === 'range' && typeof x.range === 'string') ||
			(x.takes === 'exactly' && typeof x.number === 'string')
	),
	'follow_rules.takes_at': some(
		(x) => x === 'next start' || x === 'next sign-out' || (isObject(x) && typeof x.from === 'number'),
		() => 'next start'
	),
	'moves.facts': facts,
	'opening_lines.printed': listOf('string'),
	'schedules.input': anything,
	'trials.checks': objects(['asks', 'string'], ['saw', 'string']),
	'shipments.settings': objectOr(
		() => ({ sites: [], from: 0, until: 0, share: 0, nights: 1 }),
		(x) => Array.isArray(x.sites) && typeof x.from === 'number' && typeof x.until === 'number'
	),
	'rollouts.settings': objectOr(
		() => ({
			waves: [],
			people: 'wait',
			deadline: 0,
			hours: { from: 0, until: 0 },
			pause: 0,
			longest: 0,
			limits: { failedStarts: 0, apdex: 1, failing: 0, least: 1 },
			onFail: 'pause',
			then: 'pin'
		}),
		(x) => Array.isArray(x.waves) && isObject(x.hours) && isObject(x.limits)
	),
	'rollout_gates.facts': facts,
	'joinings.answers': objectOr(() => ({})),
	'captures.system': schema(systemSchema, nothing),
	'captures.summary': objectOr(
		nothing,
		(x) => isObject(x.what) && isObject(x.sorts) && isObject(x.entries) && Array.isArray(x.folders)
	),
	'captures.notes': listOf('string'),
	'captures.choices': some(
		(x) =>
			Array.isArray(x) &&
			x.every((c) => isObject(c) && (typeof c.branch === 'string' || typeof c.pattern === 'string')),
		() => []
	),
	'package_versions.spec': some(isSpec, nothing),
	'package_vouches.system': schema(systemSchema, nothing),
	'package_clashes.counts': counts,
	'package_clashes.clashes': objects(['kind', 'string'], ['what', 'string']),
	'attachments.why': facts,
	'attach_failures.why': facts,
	'package_trials.results': objectOr(
		() => ({ passed: false, targets: [], warmUp: [] }),
		(x) => Array.isArray(x.targets) && Array.isArray(x.warmUp)
	),
	'own_settings.spec': objectOr(nothing, (x) => typeof x.id === 'string' && isObject(x.type)),
	// A rule that cannot be read is not passed over: see reach/queries.
	'consents.why': facts,
	'made_roles.rights': objectOr(() => ({})),
	'access_rules.spec': objectOr(nothing, (x) => typeof x.id === 'string' && typeof x.decide === 'string'),
	'access_rulebook.rules': listOf('string'),
	'access_rulebook.tests': objects(['name', 'string'], ['who', 'string'], ['what', 'string'], ['expect', 'string']),
	'relied_services.services': listOf('string'),
	'site_holidays.days': objects(['day', 'string'], ['name', 'string']),
	'private_services.hosts': listOf('string'),
	'private_services.ports': listOf('string'),
	'settings_groups.said': objectOr(() => ({})),
	'settings_groups.assigned': listOf('string'),
	'settings_groups.excluded': listOf('string'),
	'warm_ups.files': objects(['path', 'string'], ['bytes', 'number'])
} satisfies Record<string, JsonColumn>;
export type JsonColumnName = keyof typeof JSON_COLUMNS;

/** The value of a column, or what stands for it where it cannot be read. */
export function fromJson<T>(column: JsonColumnName, text: string): T {
	const { is, instead }: JsonColumn = JSON_COLUMNS[column];
	try {
		const value: unknown = JSON.parse(text);
		if (is(value)) return value as T;
	} catch {
		// Counted where all columns are gone through: `unreadable`.
	}
	return instead() as T;
}

/** As `fromJson`, where a row may have none. */
export const fromJsonOrNull = <T>(column: JsonColumnName, text: string | null): T | null =>
	text === null ? null : fromJson<T>(column, text);

/** Whether the value of a column is what it has to be. */
export function isReadable(column: JsonColumnName, text: string): boolean {
	try {
		return JSON_COLUMNS[column].is(JSON.parse(text));
	} catch {
		return false;
	}
}

/** Tables so large that looking at each value of each row is left to `verify`: of them it is only seen that they are JSON. */
const LARGE: ReadonlySet<string> = new Set(['connections', 'waits', 'power_actions', 'plans', 'job_steps', 'moves']);

export interface Unreadable {
	column: JsonColumnName;
	rows: number;
}

/**
 * The columns of which some rows cannot be read, and how many.
 * @param whole whether every value of every table is looked at, which takes a while
 */
export function unreadable(db: Db, whole: boolean): Unreadable[] {
	return (Object.keys(JSON_COLUMNS) as JsonColumnName[]).flatMap((column) => {
		const [table, name] = column.split('.') as [string, string];
		let rows = 0;
		if (!whole && LARGE.has(table))
			rows = db
				.prepare(`SELECT count(*) FROM ${table} WHERE ${name} IS NOT NULL AND NOT json_valid(${name})`)
				.pluck()
				.get() as number;
		else
			for (const text of db.prepare(`SELECT ${name} FROM ${table} WHERE ${name} IS NOT NULL`).pluck().iterate())
				if (!isReadable(column, text as string)) rows++;
		return rows ? [{ column, rows }] : [];
	});
}
