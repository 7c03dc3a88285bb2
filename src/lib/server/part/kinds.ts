import type { PartFacet } from '$lib/core/access/part';

/** A kind of object, as plans name what they change: `machine/desk-001`. */
interface ObjectKind {
	/** What shows that it is in a part: a row with this key; or it is the same for all. */
	seen: 'all' | { table: string; key: string };
	/** Whether the key is all that follows the kind, or the first of it: `shelf/ada/office`. */
	by?: 'first' | 'rest';
	/** Facets by which somebody has it to change, not only to see. None: whoever has a part changes none of them. */
	held: readonly PartFacet[];
	/** A table that says at which site it is, where it is seen by all and changed by those of the site. */
	at?: string;
}

const row = (table: string, key: string, held: readonly PartFacet[], by: 'first' | 'rest' = 'rest'): ObjectKind => ({
	seen: { table, key },
	by,
	held
});
const common: ObjectKind = { seen: 'all', held: [] };
/** Told by the image line that comes first: `version/desk/1.2.0`. */
const ofLine: ObjectKind = { seen: { table: 'main.lines', key: 'id' }, by: 'first', held: ['line'] };

const MACHINE = ['site', 'pool', 'line'] as const;
const PERSON = ['site', 'team'] as const;

/** Every kind that plans, notes and findings speak of; one that does not stand here is nobody's who has a part. */
export const OBJECT_KINDS: Readonly<Record<string, ObjectKind>> = {
	machine: row('machines', 'name', MACHINE),
	fresh: row('machines', 'name', MACHINE),
	person: row('people', 'login', PERSON, 'first'),
	shelf: row('people', 'login', PERSON, 'first'),
	pool: row('pools', 'id', MACHINE),
	delivery: row('pools', 'id', MACHINE, 'first'),
	host: row('hosts', 'name', ['site']),
	volume: row('volumes', 'id', ['site']),
	network: row('networks', 'id', ['site']),
	site: row('sites', 'id', ['site']),
	'site-holidays': row('sites', 'id', ['site']),
	ship: row('sites', 'id', ['site'], 'first'),
	joining: row('joinings', 'id', ['site']),
	'inner-gateway': row('inner_gateways', 'id', ['site']),
	session: row('sessions', 'id', ['site', 'team', 'pool', 'line']),
	connection: row('connections', 'id', []),
	request: row('requests', 'id', PERSON),
	endpoint: row('endpoints', 'id', PERSON),
	// Changed through the pools that serve it, of which some may be others'.
	publication: row('publications', 'id', []),
	'publication-needs': row('publications', 'id', []),
	grant: row('grants', 'id', []),
	rollout: ofLine,
	line: ofLine,
	version: ofLine,
	build: ofLine,
	decision: row('rollouts', 'id', []),
	note: row('notes', 'id', []),
	team: { ...common, held: ['team'] },
	// Everybody comes through all of them; those of a site are its own to change.
	gateway: { ...common, held: ['site'], at: 'gateways' },
	package: common,
	packages: common,
	capture: common,
	branch: common,
	'private-service': common,
	'site-categories': common,
	'site-category': common,
	'access-rule': common,
	'access-rulebook': common,
	'settings-group': common,
	report: common,
	// Made of what somebody sees, for them: whoever has any part makes one of it.
	'report-run': { seen: 'all', held: ['site', 'team', 'pool', 'line'] },
	hours: common
};
