import * as v from 'valibot';
import { CERTIFICATE_STATES } from '$lib/core/endpoints/proof';
import { ANNOUNCED_STATES } from '$lib/core/endpoints/announced';
import { ENDPOINT_KINDS, ON_A_WIRE } from '$lib/core/endpoints/kinds';
import type { Scope, Term } from '$lib/core/scope/scope';
import type { Fact } from '$lib/core/why/explained';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { moment, text, whole } from '../lists/columns';
import { listKind } from '../lists/kind';
import { shortList } from '../lists/short';
import { ENDPOINT_STATE } from '../moment/endpoint-sql';
import { scopeCondition } from '../moment/scope-sql';
import { fromOf, type Listing, listingPage } from '../watch';
import { announcedAt } from './announced';
import { CERTIFICATE_STATE, certificatesOf } from './certificates';
import { firmwareRows, type FirmwareRow } from './firmware';
import { branchCounts, rulesAt, treeAt } from './queries';

const row = v.strictObject({
	id: whole,
	name: text,
	serial: text,
	device: v.picklist(ENDPOINT_KINDS),
	model: text,
	firmware: text,
	address: text,
	site: v.nullable(text),
	person: v.nullable(text),
	personName: v.nullable(text),
	state: v.picklist(['awake', 'asleep', 'waits', 'shut out']),
	since: moment,
	branch: v.nullable(text),
	branchName: v.nullable(text)
});

const BRANCH_NAME = `(SELECT b.name FROM branches b WHERE b.id = sp.branch_id AND ${asOf('branches b')})`;
const ENDPOINTS: Listing = {
	subject: 'endpoint',
	id: 'f.endpoint_id',
	table: 'endpoint_facts f',
	where: asOf('endpoint_facts f'),
	joins: [
		['e', 'JOIN endpoints e ON e.id = f.endpoint_id'],
		['st', `JOIN endpoint_states st ON st.endpoint_id = f.endpoint_id AND ${asOf('endpoint_states st')}`],
		['sp', `JOIN endpoint_spots sp ON sp.endpoint_id = f.endpoint_id AND ${asOf('endpoint_spots sp')}`],
		['pe', 'LEFT JOIN people pe ON pe.id = f.person_id']
	],
	columns: `f.endpoint_id AS id, f.name, e.serial, f.device, f.model, f.firmware, f.address, f.site_id AS site, pe.login AS person, pe.name AS personName,
		${ENDPOINT_STATE} AS state, st.since, sp.branch_id AS branch, coalesce(${BRANCH_NAME}, sp.branch_id) AS branchName`,
	sorts: {
		name: 'f.name',
		id: 'f.endpoint_id',
		serial: 'e.serial',
		device: 'f.device',
		model: 'f.model',
		firmware: 'f.firmware',
		address: 'f.address',
		site: 'f.site_id',
		person: 'pe.login',
		personName: 'pe.name',
		state: ENDPOINT_STATE,
		since: 'st.since',
		branch: 'sp.branch_id',
		branchName: BRANCH_NAME
	},
	usual: 'f.name'
};

type EndpointListed = v.InferOutput<typeof row>;

/** Devices of a scope at a moment, all of them. */
export function endpointsIn(db: Db, scope: Scope, at: number): { items: EndpointListed[]; left: Term[] } {
	const { rows, left } = endpoints.page(db, { scope, at, sort: 'name', descending: false, limit: -1, offset: 0 });
	return { items: rows, left };
}

/** How many devices of a scope stand how at a moment, which of those on a wire sleep, and which that are let in are awake: no more than `most` of each. */
export function endpointCounts(db: Db, scope: Scope, at: number, most: number) {
	const c = scopeCondition(scope, 'endpoint');
	const params = { at, ...c.params };
	const states = all<{ state: EndpointListed['state']; n: number }>(
		db,
		`SELECT state, count(*) AS n FROM (SELECT ${ENDPOINT_STATE} AS state ${fromOf(ENDPOINTS, ENDPOINT_STATE, c.sql)} AND ${c.sql}) GROUP BY state`,
		params
	);
	const of = (state: EndpointListed['state']) => states.find((s) => s.state === state)?.n ?? 0;
	const letIn = (and: string) =>
		all<{ id: number }>(
			db,
			`SELECT f.endpoint_id AS id ${fromOf(ENDPOINTS, 'st.state sp.branch_id', c.sql)} AND ${c.sql} AND sp.branch_id IS NOT NULL ${and} LIMIT @most`,
			{ ...params, most, ...(and.includes('@wired') ? { wired: JSON.stringify([...ON_A_WIRE]) } : {}) }
		).map((r) => r.id);
	return {
		left: c.left,
		total: states.reduce((n, s) => n + s.n, 0),
		awake: of('awake'),
		waits: of('waits'),
		letIn: letIn(''),
		wakeful: letIn(`AND st.state = 'awake'`),
		asleep: letIn(`AND st.state = 'asleep' AND f.device IN (SELECT value FROM json_each(@wired))`)
	};
}

export const endpoints = listKind({
	name: 'endpoints',
	words: 'Devices that people sit at, where each stands and who was on it last',
	card: 'endpoint',
	row,
	sorts: Object.keys(ENDPOINTS.sorts),
	page: (db, ask) => listingPage<EndpointListed>(db, ask, ENDPOINTS),
	called: (r) => r.name
});

const branchRow = v.strictObject({
	id: text,
	name: text,
	parent: v.nullable(text),
	site: v.nullable(text),
	endpoints: whole
});

export const branches = shortList({
	name: 'branches',
	words: 'Branches that endpoints stand in, those of branches below counted in',
	card: null,
	row: branchRow,
	rows: (db, at) => {
		const tree = treeAt(db, at);
		const counts = branchCounts(db, tree, at);
		return tree.branches.map((b) => ({ ...b, endpoints: counts.get(b.id)!.all }));
	},
	called: (b) => b.name,
	why: (db, b, at): Fact[] => {
		const counts = branchCounts(db, treeAt(db, at), at).get(b.id);
		return [
			{
				words: `${counts?.here ?? 0} stand in it, ${(counts?.all ?? 0) - (counts?.here ?? 0)} below it`,
				source: 'endpoints'
			}
		];
	}
});

export const enrolmentRules = shortList({
	name: 'enrolment-rules',
	words: 'Rules that put endpoints into branches, in the order in which they are tried',
	card: null,
	row: v.strictObject({
		id: whole,
		name: text,
		condition: text,
		into: text,
		bySite: v.boolean(),
		whom: v.picklist(['new', 'all']),
		often: v.picklist(['start', 'once']),
		deeper: v.picklist(['stay', 'move']),
		since: moment
	}),
	rows: (db, at) => rulesAt(db, at).map(({ condition: _, text: condition, ...r }) => ({ ...r, condition })),
	called: (r) => r.name,
	why: (_db, r): Fact[] => [{ words: `it holds where ${r.condition}`, source: 'enrolment rules' }]
});

export const announcedEndpoints = shortList({
	name: 'announced-endpoints',
	words: 'Endpoints that were announced by their serial numbers, and what has become of each',
	card: null,
	row: v.strictObject({
		/** The serial number. */
		id: text,
		site: v.nullable(text),
		expectedAt: moment,
		since: moment,
		state: v.picklist(ANNOUNCED_STATES),
		endpoint: v.nullable(whole),
		name: v.nullable(text)
	}),
	rows: (db, at) => announcedAt(db, at).map(({ serial, ...a }) => ({ id: serial, ...a })),
	called: (r) => r.id,
	why: (_db, r): Fact[] => [
		r.endpoint === null
			? { words: 'nothing with this serial number has called in', side: 'against', source: 'endpoints' }
			: {
					words: `${r.name ?? r.id} has this serial number and has called in`,
					about: { kind: 'endpoint', id: String(r.endpoint) },
					source: 'endpoints'
				}
	]
});

const certificateRow = v.strictObject({
	/** Its serial number, in hexadecimal. */
	id: text,
	endpoint: whole,
	/** What the device is called, or was when it was known last. */
	name: text,
	serial: text,
	since: moment,
	ends: moment,
	state: v.picklist(CERTIFICATE_STATES),
	revokedAt: v.nullable(moment),
	revokedBy: v.nullable(text)
});
type CertificateListed = v.InferOutput<typeof certificateRow>;

const CERTIFICATES: Listing = {
	subject: 'endpoint',
	id: 'c.number',
	table: 'endpoint_certificates c',
	where: 'c.since <= @at',
	joins: [
		['e', 'JOIN endpoints e ON e.id = c.endpoint_id'],
		[
			'f',
			'LEFT JOIN endpoint_facts f ON f.endpoint_id = c.endpoint_id AND f.since = (SELECT max(x.since) FROM endpoint_facts x WHERE x.endpoint_id = c.endpoint_id AND x.since <= @at)'
		],
		['st', `LEFT JOIN endpoint_states st ON st.endpoint_id = c.endpoint_id AND ${asOf('endpoint_states st')}`],
		['sp', `LEFT JOIN endpoint_spots sp ON sp.endpoint_id = c.endpoint_id AND ${asOf('endpoint_spots sp')}`],
		['pe', 'LEFT JOIN people pe ON pe.id = f.person_id'],
		['r', 'LEFT JOIN revoked_certificates r ON r.number = c.number AND r.at <= @at']
	],
	columns: `c.number AS id, c.endpoint_id AS endpoint, coalesce(f.name, e.serial) AS name, e.serial, c.since, c.ends, ${CERTIFICATE_STATE} AS state, r.at AS revokedAt, r.by AS revokedBy`,
	sorts: {
		id: 'c.number',
		endpoint: 'c.endpoint_id',
		name: 'f.name',
		serial: 'e.serial',
		since: 'c.since',
		ends: 'c.ends',
		state: CERTIFICATE_STATE,
		revokedAt: 'r.at',
		revokedBy: 'r.by'
	},
	usual: 'c.since'
};

export const endpointCertificates = listKind({
	name: 'endpoint-certificates',
	words: 'Certificates that were issued to endpoints, and how each stands',
	card: null,
	row: certificateRow,
	sorts: Object.keys(CERTIFICATES.sorts),
	page: (db, ask) => listingPage<CertificateListed>(db, ask, CERTIFICATES),
	why: (db, c, at): Fact[] => [
		{
			words: `issued to ${c.name} for its own key`,
			at: c.since,
			about: { kind: 'endpoint', id: String(c.endpoint) },
			source: 'endpoint authority'
		},
		...(c.revokedAt === null
			? []
			: [
					{
						words: `revoked by ${c.revokedBy}`,
						side: 'against' as const,
						at: c.revokedAt,
						source: 'endpoint authority'
					}
				]),
		...(c.state === 'renewed'
			? [
					{
						words: `${certificatesOf(db, c.endpoint, at)[0]!.number} has taken its place`,
						source: 'endpoint authority'
					}
				]
			: [])
	]
});

/** Devices of a scope for which firmware is wished, with how each stands to it: what others take counts, in the scope or not. */
export function firmwareIn(db: Db, scope: Scope, at: number): { items: FirmwareRow[]; left: Term[] } {
	const { items, left } = endpointsIn(db, scope, at);
	const among = new Set(items.map((e) => e.id));
	return { items: firmwareRows(db, at).filter((r) => among.has(r.id)), left };
}

const firmwareRow = ({ id, name, model, firmware, site, wish, standing, why }: FirmwareRow) => ({
	id,
	name,
	model,
	firmware,
	wished: wish.version,
	by: wish.branch,
	site,
	standing,
	why: why.words
});

export const endpointFirmware = shortList({
	name: 'endpoint-firmware',
	words: 'Endpoints for which a version of firmware is wished, and which have it, take it or wait, and why',
	card: 'endpoint',
	row: v.strictObject({
		id: whole,
		name: text,
		model: text,
		firmware: text,
		wished: text,
		/** The branch that it is wished for. */
		by: text,
		site: v.nullable(text),
		standing: v.picklist(['has it', 'takes it', 'may take it', 'waits']),
		why: text
	}),
	rows: (db, at, scope) => {
		const { items, left } = firmwareIn(db, scope, at);
		return { items: items.map(firmwareRow), left };
	},
	called: (r) => r.name,
	why: (_db, r): Fact[] => [
		{ words: r.why, side: r.standing === 'waits' ? 'against' : 'for', source: 'endpoints' },
		{ words: `${r.wished} is wished for what stands in ${r.by}`, source: 'endpoints' }
	]
});
