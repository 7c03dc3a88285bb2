import { inRange } from '$lib/core/network/addresses';
import { decide, ready, Tree, type EnrolmentRule } from '$lib/core/endpoints/rules';
import { FOREVER } from '$lib/core/time/units';
import type { Db } from '../db';
import { one, run } from '../db';
import { closeAt, openAt, putAt, rowAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import type { Known } from '../manifest';
import type { Observation } from '../providers';
import { wantsCertificate } from './certificates';
import { heldBack } from './announced';
import { branchesAt, COPY, deviceRanges, endpointRevision, KEPT, rulesAt, teamsOf } from './queries';

type Seen = Extract<Observation, { kind: 'endpoint' }>;

/** Rules and branches, ready to be asked; read again once they have changed. */
interface Ready {
	revision: number;
	rules: readonly EnrolmentRule[];
	tree: Tree;
	fits: ReturnType<typeof ready>;
	ranges: readonly { site: string; range: string }[];
}
const kept = new WeakMap<Db, Ready>();

function readyNow(db: Db): Ready {
	const revision = endpointRevision(db);
	const known = kept.get(db);
	if (known?.revision === revision) return known;
	const rules = rulesAt(db, FOREVER - 1);
	const made: Ready = {
		revision,
		rules,
		tree: new Tree(branchesAt(db, FOREVER - 1)),
		fits: ready(rules),
		ranges: deviceRanges(db)
	};
	kept.set(db, made);
	return made;
}

/** A device that was forgotten while it was shut out is shut out again when it calls: whoever has found it is not let in by its being tidied away. */
function shutOutBefore(db: Db, endpoint_id: number, at: number): ReturnType<typeof rowAt> {
	const last = one<{ branch_id: string | null; by: string | null; why: string }>(
		db,
		'SELECT branch_id, by, why FROM endpoint_spots WHERE endpoint_id = ? ORDER BY since DESC LIMIT 1',
		[endpoint_id]
	);
	if (!last || last.branch_id !== null || last.by === null) return undefined;
	const spot = { endpoint_id, branch_id: null, rule_id: null, by: last.by, why: last.why };
	openAt(db, 'endpoint_spots', spot, at);
	return spot;
}

/** From a moment on somebody is on a device, or on none of those that are known. */
function nowOn(db: Db, person_id: number, endpoint_id: number | null, at: number): void {
	const before = rowAt(db, 'person_endpoints', { person_id }, FOREVER - 1)?.endpoint_id ?? null;
	if (before === endpoint_id) return;
	if (endpoint_id === null) closeAt(db, 'person_endpoints', { person_id }, at);
	else putAt(db, 'person_endpoints', { person_id, endpoint_id }, at);
}

/** What a connection was asked from, by its number: its person is on that from then on. Null where it is none that is known. */
export function askedFrom(
	db: Db,
	person: number,
	device: { serial: string; key: string } | null,
	at: number
): number | null {
	const id = device
		? (one<{ id: number }>(db, 'SELECT id FROM endpoints WHERE serial = ? AND key = ?', [device.serial, device.key])
				?.id ?? null)
		: null;
	nowOn(db, person, id, at);
	return id;
}

/** Takes in that a device has started, is taken by somebody, or sleeps. A new one is put by the rules, or waits. */
export function takeEndpoint(db: Db, o: Seen, known: Known): void {
	const person = o.person === null ? null : (known.person(o.person) ?? null);
	let id = one<{ id: number }>(db, 'SELECT id FROM endpoints WHERE serial = ? AND key = ?', [o.serial, o.key])?.id;
	const first = id === undefined;
	if (id === undefined) {
		if (o.event === 'sleeps') return;
		id = insertRow(db, 'endpoints', { serial: o.serial, key: o.key, first_at: o.at })!;
	}
	const before = rowAt(db, 'endpoint_facts', { endpoint_id: id }, FOREVER - 1);
	// One that was forgotten while it was awake is new as soon as it is heard again.
	const started = o.event === 'started' || !before;
	if (o.event === 'sleeps') {
		// One that was forgotten while it was awake.
		if (!before) return;
		return void putAt(db, 'endpoint_states', { endpoint_id: id, state: 'asleep', person_id: null }, o.at);
	}

	const now = readyNow(db);
	const site = now.ranges.find((r) => inRange(o.address, r.range))?.site ?? null;
	const { name, device, model, hardware, firmware, address } = o;
	const facts = {
		endpoint_id: id,
		name,
		device,
		model,
		hardware,
		firmware,
		address,
		site_id: site,
		person_id: person ?? before?.person_id ?? null
	};
	if (!before || Object.entries(facts).some(([column, value]) => before[column] !== value))
		putAt(db, 'endpoint_facts', facts, o.at);
	putAt(
		db,
		'endpoint_states',
		{ endpoint_id: id, state: 'awake', person_id: person, battery: o.battery ? 1 : 0 },
		o.at
	);
	if (person !== null) nowOn(db, person, id, o.at);
	if (!started) return;
	wantsCertificate(db, id);
	insertRow(
		db,
		'endpoint_starts',
		{ endpoint_id: id, at: o.at, address, firmware, site_id: site, person_id: facts.person_id },
		'keep'
	);

	const spot =
		rowAt(db, 'endpoint_spots', { endpoint_id: id }, FOREVER - 1) ?? (first ? undefined : shutOutBefore(db, id, o.at));
	if (
		first &&
		one(
			db,
			`SELECT 1 FROM endpoints e JOIN endpoint_facts f ON f.endpoint_id = e.id AND f.until = ${FOREVER} WHERE e.serial = ? AND e.id <> ?`,
			[o.serial, id]
		)
	)
		return void openAt(
			db,
			'endpoint_spots',
			{ endpoint_id: id, branch_id: null, rule_id: null, by: null, why: COPY },
			o.at
		);
	// Whoever waits because there is another of its number waits until somebody lets it in.
	if (spot?.why === COPY) return;
	// So does whoever was shut out, or asked for a certificate wrongly.
	if (spot?.branch_id === null && spot.by !== null) return;
	const stands = {
		branch: (spot?.branch_id ?? null) as string | null,
		rule: (spot?.rule_id ?? null) as number | null,
		byHand: typeof spot?.by === 'string' ? (spot.since as number) : null
	};
	// One that has never stood anywhere is asked for whether it may come in at all.
	const held = stands.branch === null ? heldBack(db, o.at)({ serial: o.serial, site }) : null;
	if (held !== null) {
		if (spot?.why !== held)
			putAt(db, 'endpoint_spots', { endpoint_id: id, branch_id: null, rule_id: null, by: null, why: held }, o.at);
		return;
	}
	const placed = decide(
		{
			serial: o.serial,
			name,
			model,
			hardware,
			firmware,
			address,
			site,
			teams: teamsOf(db, o.at)(facts.person_id as number | null)
		},
		stands,
		now.rules,
		now.tree,
		now.fits
	);
	const rule = now.rules.find((r) => r.id === placed.rule);
	const why = rule ? `put by the rule ${rule.name}` : 'no rule lets it in';
	if (spot && !placed.moves && (placed.branch !== null || spot.why === why)) return;
	putAt(
		db,
		'endpoint_spots',
		{
			endpoint_id: id,
			branch_id: placed.branch,
			rule_id: placed.rule,
			by: null,
			why
		},
		o.at
	);
}

/** Starts that are older than rules are tried on go. */
export const forgetStarts = (db: Db, now: number): void =>
	void run(db, 'DELETE FROM endpoint_starts WHERE at <= ?', [now - KEPT]);
