/** Who may do what: the one table that every route, API call and plan goes through. */

export const ROLES = ['owner', 'builder', 'operator', 'helpdesk', 'auditor', 'directory', 'person'] as const;
export type Role = (typeof ROLES)[number];

/** Parts of the job that rights are given for. */
export const AREAS = [
	'estate',
	'images',
	'publishing',
	'access',
	'shelf',
	'capacity',
	'sessions',
	'repair',
	'network',
	'sites',
	'identity',
	'record',
	'lab',
	'portal',
	'directory',
	'activity'
] as const;
export type Area = (typeof AREAS)[number];

/** Roles that operators can have; a token may have that of a directory, too. */
export const STAFF = ROLES.filter(
	(r): r is Exclude<Role, 'person' | 'directory'> => r !== 'person' && r !== 'directory'
);
export type Staff = (typeof STAFF)[number];

/** Each level includes those before it. */
export const LEVELS = ['none', 'read', 'draft', 'commit'] as const;
export type Level = (typeof LEVELS)[number];

const TABLE: Record<Role, Partial<Record<Area, Level>>> = {
	owner: {
		estate: 'read',
		images: 'commit',
		publishing: 'commit',
		access: 'commit',
		shelf: 'commit',
		capacity: 'commit',
		sessions: 'commit',
		repair: 'commit',
		network: 'commit',
		sites: 'commit',
		identity: 'commit',
		record: 'read',
		lab: 'commit',
		directory: 'commit',
		activity: 'commit'
	},
	builder: {
		estate: 'read',
		images: 'commit',
		publishing: 'commit',
		access: 'read',
		shelf: 'read',
		capacity: 'draft',
		sessions: 'draft',
		repair: 'commit',
		network: 'draft',
		sites: 'commit',
		record: 'read',
		lab: 'commit',
		activity: 'read'
	},
	operator: {
		estate: 'read',
		images: 'draft',
		publishing: 'commit',
		access: 'commit',
		shelf: 'commit',
		capacity: 'commit',
		sessions: 'commit',
		repair: 'commit',
		network: 'commit',
		sites: 'draft',
		record: 'read',
		lab: 'commit',
		activity: 'commit'
	},
	helpdesk: {
		estate: 'read',
		images: 'read',
		publishing: 'draft',
		access: 'draft',
		shelf: 'draft',
		capacity: 'read',
		sessions: 'commit',
		repair: 'commit',
		network: 'draft',
		sites: 'read',
		record: 'read',
		lab: 'read',
		activity: 'commit'
	},
	auditor: {
		estate: 'read',
		images: 'read',
		publishing: 'read',
		access: 'read',
		shelf: 'read',
		capacity: 'read',
		sessions: 'read',
		repair: 'read',
		network: 'read',
		sites: 'read',
		identity: 'read',
		record: 'read',
		lab: 'read',
		directory: 'read',
		activity: 'read'
	},
	// A program that tells of people; for tokens alone.
	directory: { directory: 'commit' },
	person: { portal: 'commit', shelf: 'commit' }
};

/** The level that a role has in an area. */
export const levelOf = (role: Role, area: Area): Level => TABLE[role][area] ?? 'none';

/** Whether a role has at least this level in an area. */
export const may = (role: Role, area: Area, level: Level): boolean =>
	LEVELS.indexOf(levelOf(role, area)) >= LEVELS.indexOf(level);

/** Roles that may, in the order of the table: for saying whom to ask. */
export const whoMay = (area: Area, level: Level): Role[] => ROLES.filter((r) => may(r, area, level));

export const AREA_WORDS: Record<Area, string> = {
	estate: 'the estate',
	images: 'image lines and builds',
	publishing: 'pools and publications',
	access: 'grants, conditions and access rules',
	shelf: 'what people fetch and ask for',
	capacity: 'capacity policies',
	sessions: 'sessions and machines',
	repair: 'repairs',
	network: 'gateways and networks',
	sites: 'sites and how they are reached',
	identity: 'operators and tokens',
	record: 'the change log and jobs',
	lab: 'the lab',
	portal: 'the portal',
	directory: 'people, told by a program (SCIM)',
	activity: 'what people reached'
};
