/** The kinds of object that the API lists. */
export const KINDS = [
	'sites',
	'hosts',
	'machines',
	'sessions',
	'pools',
	'image-lines',
	'publications',
	'grants',
	'people',
	'teams',
	'jobs',
	'changes',
	'deliveries',
	'requests',
	'findings',
	'checks'
] as const;
export type Kind = (typeof KINDS)[number];

/** What a card is called for each kind of list; null where there is none. */
export const CARD_OF: Record<Kind, string | null> = {
	sites: 'site',
	hosts: 'host',
	machines: 'machine',
	sessions: 'session',
	pools: 'pool',
	'image-lines': null,
	publications: 'publication',
	grants: 'grant',
	people: 'person',
	teams: null,
	jobs: null,
	changes: 'change',
	deliveries: 'delivery',
	requests: null,
	findings: 'finding',
	checks: null
};
