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
	'activity',
	'reports',
	'emergency',
	'audit'
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
		activity: 'commit',
		reports: 'commit',
		emergency: 'commit',
		audit: 'read'
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
		activity: 'read',
		reports: 'commit'
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
		activity: 'commit',
		reports: 'commit'
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
		activity: 'commit',
		reports: 'commit'
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
		activity: 'read',
		reports: 'read',
		audit: 'read'
	},
	// A program that tells of people; for tokens alone.
	directory: { directory: 'commit' },
	person: { portal: 'commit', shelf: 'commit' }
};

/** What somebody may: a level for each area, none where it is not named. */
export type Rights = Partial<Record<Area, Level>>;

/** What a role that ships may. */
export const rightsOf = (role: Role): Rights => TABLE[role];

/** The level that these rights give in an area. */
export const levelIn = (rights: Rights, area: Area): Level => rights[area] ?? 'none';

/** Whether rights reach at least this level in an area. */
export const may = (rights: Rights, area: Area, level: Level): boolean =>
	LEVELS.indexOf(levelIn(rights, area)) >= LEVELS.indexOf(level);

/** Roles that ship and may, in the order of the table: for saying whom to ask. */
export const whoMay = (area: Area, level: Level): Role[] => ROLES.filter((r) => may(TABLE[r], area, level));

/** Areas that are of the whole estate: nobody has them for a part of it. */
export const WHOLE: readonly Area[] = ['identity', 'directory', 'lab', 'portal', 'audit'];

/** Areas that a role which is made may name: what people and programs have of their own is not among them. */
export const STAFF_AREAS = AREAS.filter((a) => a !== 'portal' && a !== 'directory');

/** What is left of rights for somebody who has them for a part of the estate only. */
export const rightsInPart = (rights: Rights): Rights =>
	Object.fromEntries(Object.entries(rights).filter(([area]) => !WHOLE.includes(area as Area)));

/** Whether they change nothing: an auditor's. */
export const readsAlone = (rights: Rights): boolean => AREAS.every((a) => !may(rights, a, 'draft'));

/** Whether these rights are all within those: nobody gives away what they have not. */
export const within = (rights: Rights, those: Rights): boolean =>
	AREAS.every((a) => LEVELS.indexOf(levelIn(rights, a)) <= LEVELS.indexOf(levelIn(those, a)));

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
	activity: 'what people reached',
	reports: 'reports',
	emergency: 'what needs consent, without it, in an emergency',
	audit: 'who signed in, was refused, or looked'
};
