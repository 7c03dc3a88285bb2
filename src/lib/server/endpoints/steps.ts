import { durationWords, FOREVER, MINUTE, SECOND } from '$lib/core/time/units';
import { sleep } from '../context';
import type { Admission } from '$lib/core/endpoints/announced';
import { all, one, putSetting, run, type Db } from '../db';
import { asOf, closeAt, openAt, putAt, rowAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { Cancelled, stepHandler } from '../jobs/step';
import { CALLED_AT } from '../network';
import { StepFailed } from '../providers';
import { revoke, tellRevoked, wantsCertificate } from './certificates';
import { lastLooks, looksAt, noteLook } from './looking';
import { endpointById, openFrom, wakersAt } from './queries';

/** A rule as a plan writes it; without a number it is new. */
export interface RuleWrite {
	id?: number | undefined;
	name: string;
	condition: string;
	into: string;
	bySite: boolean;
	whom: 'new' | 'all';
	often: 'start' | 'once';
	deeper: 'stay' | 'move';
}

/** Where a device stood, and how it came there. */
interface Spot {
	id: number;
	branch: string | null;
	rule: number | null;
	by: string | null;
	why: string;
}

/** Where some devices stood at a moment. */
export const spotsThen = (db: Db, endpoints: readonly number[], then: number): Spot[] =>
	all(
		db,
		`SELECT endpoint_id AS id, branch_id AS branch, rule_id AS rule, by, why FROM endpoint_spots WHERE endpoint_id IN (SELECT value FROM json_each(@ids)) AND ${asOf('endpoint_spots')}`,
		{ ids: JSON.stringify(endpoints), at: then }
	);

/** What makes a device one that is known: each is closed when it is forgotten. */
export const KNOWN_BY = ['endpoint_facts', 'endpoint_states', 'endpoint_spots'] as const;

/** Devices that are woken side by side, how long each may take, and how often it is looked whether it has called in, ms. */
const AT_ONCE = 100;
const WAKES_WITHIN = 3 * MINUTE;
const STARTS_WITHIN = 10 * MINUTE;
const LOOKS_EVERY = 10 * SECOND;

function knownOr(db: Db, id: number, now: number) {
	const e = endpointById(db, id, now);
	if (!e) throw new StepFailed('it is not known any longer');
	return e;
}

/** A device that is awake; one that has gone to sleep meanwhile, or is not known any longer, is not asked. */
function awakeOr(db: Db, id: number, now: number) {
	const e = knownOr(db, id, now);
	if (e.state !== 'awake') throw new StepFailed(`${e.name} has gone to sleep`);
	return e;
}

/** What was announced at a moment of some serial numbers. */
export const announcedThen = (
	db: Db,
	serials: readonly string[],
	then: number
): { serial: string; site_id: string | null; expected_at: number }[] =>
	all(
		db,
		`SELECT serial, site_id, expected_at FROM announced_endpoints WHERE serial IN (SELECT value FROM json_each(@serials)) AND ${asOf('announced_endpoints')}`,
		{ serials: JSON.stringify(serials), at: then }
	);

/** A device is kept for somebody from now on, or for nobody: whoever had it and has ended has it no longer. */
function keepFor(db: Db, endpoint: number, login: string | null, by: string, now: number): void {
	if (login !== null) {
		const { id } = one<{ id: number }>(db, 'SELECT id FROM people WHERE login = ?', [login])!;
		return void putAt(db, 'kept_endpoints', { endpoint_id: endpoint, person_id: id, by }, now);
	}
	const before = rowAt(db, 'kept_endpoints', { endpoint_id: endpoint }, FOREVER - 1);
	if (!before) return;
	closeAt(db, 'kept_endpoints', { endpoint_id: endpoint }, now);
	const person = before.person_id as number;
	const on = rowAt(db, 'person_endpoints', { person_id: person }, FOREVER - 1);
	if (
		on?.endpoint_id === endpoint &&
		one(db, `SELECT 1 FROM person_facts WHERE person_id = ? AND until = ${FOREVER} AND ends <= ?`, [person, now])
	)
		closeAt(db, 'person_endpoints', { person_id: person }, now);
}

/** Puts a list of rules in the place of those that hold: what stays as it is goes on. */
function writeRules(db: Db, rules: readonly RuleWrite[], now: number): void {
	const before = new Map(
		all<{ id: number; row: string }>(
			db,
			`SELECT id, json_array(position, name, condition, into_id, by_site, whom, often, deeper) AS row FROM enrolment_rules WHERE until = ${FOREVER}`
		).map((r) => [r.id, r.row])
	);
	let next = all<{ n: number }>(db, 'SELECT coalesce(max(id), 0) AS n FROM enrolment_rules')[0]!.n;
	const stay = new Set<number>();
	rules.forEach((r, position) => {
		const id = r.id ?? ++next;
		stay.add(id);
		const row = {
			id,
			position,
			name: r.name,
			condition: r.condition,
			into_id: r.into,
			by_site: r.bySite ? 1 : 0,
			whom: r.whom,
			often: r.often,
			deeper: r.deeper
		};
		const { id: _, ...rest } = row;
		const was = before.get(id);
		if (was === JSON.stringify(Object.values(rest))) return;
		if (was === undefined) openAt(db, 'enrolment_rules', row, now);
		else putAt(db, 'enrolment_rules', row, now);
	});
	for (const id of before.keys()) if (!stay.has(id)) closeAt(db, 'enrolment_rules', { id }, now);
}

export const endpointSteps = {
	'endpoint.place': stepHandler<{ endpoints: number[]; branch: string }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const id of input.endpoints) {
						putAt(
							db,
							'endpoint_spots',
							{ endpoint_id: id, branch_id: input.branch, rule_id: null, by: job.by, why: `put by ${job.by}` },
							now
						);
						wantsCertificate(db, id);
					}
				}
			};
		}
	}),
	'endpoint.shut-out': stepHandler<{ endpoints: number[]; why: string }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const id of input.endpoints) {
						revoke(db, id, job.by, now);
						putAt(
							db,
							'endpoint_spots',
							{
								endpoint_id: id,
								branch_id: null,
								rule_id: null,
								by: job.by,
								why: `shut out by ${job.by}: ${input.why}`
							},
							now
						);
					}
				}
			};
		}
	}),
	'endpoint.cut-off': stepHandler<{ endpoints: number[] }>({
		async run({ ctx, input, each }) {
			await tellRevoked(ctx);
			const { done, failed } = await each(
				openFrom(ctx.db, input.endpoints).map((s) => String(s.id)),
				20,
				(session) => ctx.providers.broker.disconnect(Number(session))
			);
			return { result: { done: done.length, failed: failed.length } };
		}
	}),
	'endpoint.wake': stepHandler<{ endpoints: number[] }>({
		async run({ ctx, input, each, cancelled }) {
			let looked = { at: ctx.clock.now(), of: wakersAt(ctx.db, ctx.clock.now()) };
			await each(input.endpoints.map(String), AT_ONCE, async (item) => {
				const e = endpointById(ctx.db, Number(item), ctx.clock.now());
				if (!e) throw new StepFailed('it is not known any longer');
				// Somebody has been quicker.
				if (e.state === 'awake') return;
				// Who could a while ago may sleep by now.
				if (ctx.clock.now() - looked.at > MINUTE)
					looked = { at: ctx.clock.now(), of: wakersAt(ctx.db, ctx.clock.now()) };
				const waker = looked.of(e);
				if ('why' in waker) throw new StepFailed(waker.why);
				await ctx.providers.endpoints.wake(e.serial, e.key, waker.by);
				const until = ctx.clock.now() + WAKES_WITHIN;
				while (endpointById(ctx.db, e.id, ctx.clock.now())?.state !== 'awake') {
					if (cancelled()) throw new Cancelled();
					if (ctx.clock.now() >= until)
						throw new StepFailed(
							`${e.name} did not call in within ${durationWords(WAKES_WITHIN)} of the signal by ${waker.by.name}`
						);
					await sleep(ctx.clock, LOOKS_EVERY);
				}
			});
		}
	}),
	'endpoint.restart': stepHandler<{ endpoints: number[] }>({
		async run({ ctx, input, each, cancelled }) {
			const { done, failed } = await each(input.endpoints.map(String), AT_ONCE, async (item, key) => {
				const e = knownOr(ctx.db, Number(item), ctx.clock.now());
				const asked = await ctx.providers.endpoints.restart(e.serial, e.key, key).catch((err: unknown) => {
					throw e.state === 'asleep' ? new StepFailed(`${e.name} has gone to sleep`) : err;
				});
				const until = asked + STARTS_WITHIN;
				while (!one(ctx.db, 'SELECT 1 FROM endpoint_starts WHERE endpoint_id = ? AND at > ?', [e.id, asked])) {
					if (cancelled()) throw new Cancelled();
					if (ctx.clock.now() >= until)
						throw new StepFailed(`${e.name} did not call in again within ${durationWords(STARTS_WITHIN)}`);
					await sleep(ctx.clock, LOOKS_EVERY);
				}
			});
			return { result: { done: done.length, failed: failed.length } };
		}
	}),
	'endpoint.lock': stepHandler<{ endpoints: number[] }>({
		async run({ ctx, input, each }) {
			const { done, failed } = await each(input.endpoints.map(String), AT_ONCE, async (item, key) => {
				const e = awakeOr(ctx.db, Number(item), ctx.clock.now());
				await ctx.providers.endpoints.lock(e.serial, e.key, key);
			});
			return { result: { done: done.length, failed: failed.length } };
		}
	}),
	'endpoint.show': stepHandler<{ endpoints: number[]; text: string }>({
		async run({ ctx, input, each }) {
			const { done, failed } = await each(input.endpoints.map(String), AT_ONCE, async (item, key) => {
				const e = awakeOr(ctx.db, Number(item), ctx.clock.now());
				await ctx.providers.endpoints.show(e.serial, e.key, input.text, key);
			});
			return { result: { done: done.length, failed: failed.length } };
		}
	}),
	'endpoint.ask-to-look': stepHandler<{ endpoint: number; why: string }>({
		async run({ ctx, input, job, key }) {
			const e = awakeOr(ctx.db, input.endpoint, ctx.clock.now());
			const person =
				e.on === null ? undefined : one<{ id: number }>(ctx.db, 'SELECT id FROM people WHERE login = ?', [e.on]);
			if (!person) throw new StepFailed(`nobody is on ${e.name} any more: there is nobody to ask`);
			const asked = ctx.clock.now();
			const answer = await ctx.providers.endpoints.ask(
				e.serial,
				e.key,
				{ person: e.on!, by: job.by, why: input.why },
				key('ask')
			);
			const answered = ctx.clock.now();
			return {
				write: (db) =>
					void noteLook(db, {
						endpoint: e.id,
						person: person.id,
						operator: job.operator,
						by: job.by,
						why: input.why,
						asked,
						answered,
						answer
					}),
				result: { answer }
			};
		}
	}),
	'endpoint.was-let-look': stepHandler<{ endpoint: number }>({
		async run({ ctx, input, job }) {
			// Another may have asked at the same time, and been told something else.
			const last = lastLooks(looksAt(ctx.db, input.endpoint, ctx.clock.now(), 100)).find(
				(l) => l.operator === job.operator
			);
			if (last?.answer === 'no') throw new StepFailed(`${last.person} said no`);
			if (last?.answer === 'nobody') throw new StepFailed(`${last.person} did not answer`);
		}
	}),
	'endpoint.forget': stepHandler<{ endpoints: number[] }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const endpoint_id of input.endpoints) {
						revoke(db, endpoint_id, job.by, now);
						for (const table of KNOWN_BY) closeAt(db, table, { endpoint_id }, now);
					}
				}
			};
		}
	}),
	'endpoint.know-again': stepHandler<{ endpoints: number[]; then: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const endpoint_id of input.endpoints)
						for (const table of KNOWN_BY) {
							const row = rowAt(db, table, { endpoint_id }, input.then);
							if (!row) continue;
							const gone = row.branch_id && !rowAt(db, 'branches', { id: String(row.branch_id) }, now);
							const nowhere = { branch_id: null, rule_id: null, by: null, why: 'the branch that it stood in has gone' };
							putAt(db, table, { ...row, ...(gone ? nowhere : {}), endpoint_id }, now);
						}
				}
			};
		}
	}),
	'endpoint.put-back': stepHandler<{ endpoints: number[]; then: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const s of spotsThen(db, input.endpoints, input.then)) {
						wantsCertificate(db, s.id);
						putAt(
							db,
							'endpoint_spots',
							{ endpoint_id: s.id, branch_id: s.branch, rule_id: s.rule, by: s.by, why: s.why },
							now
						);
					}
				}
			};
		}
	}),
	'endpoint.keep': stepHandler<{ give: { endpoint: number; person: string | null }[] }>({
		async run({ ctx, input, job, each }) {
			const now = ctx.clock.now();
			const whose = new Map(input.give.map((g) => [String(g.endpoint), g.person]));
			await each([...whose.keys()], AT_ONCE, async (item, key) => {
				const e = endpointById(ctx.db, Number(item), now);
				if (!e) throw new StepFailed('it is not known any longer');
				await ctx.providers.endpoints.hand(e.serial, e.key, whose.get(item)!, key);
				return (db: Db) => keepFor(db, e.id, whose.get(item)!, job.by, now);
			});
		}
	}),
	'endpoint.announce': stepHandler<{ site: string | null; from: number; serials: string[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const serial of input.serials)
						putAt(db, 'announced_endpoints', { serial, site_id: input.site, expected_at: input.from }, now);
				}
			};
		}
	}),
	'endpoint.withdraw': stepHandler<{ serials: string[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => input.serials.forEach((serial) => closeAt(db, 'announced_endpoints', { serial }, now)) };
		}
	}),
	'endpoint.announce-again': stepHandler<{ serials: string[]; then: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const row of announcedThen(db, input.serials, input.then)) putAt(db, 'announced_endpoints', row, now);
				}
			};
		}
	}),
	'endpoint.admit': stepHandler<{ site: string; way: Admission }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					// By the rules is what holds where nothing is said.
					input.way === 'rules'
						? closeAt(db, 'endpoint_admissions', { site: input.site }, now)
						: putAt(db, 'endpoint_admissions', { site: input.site, way: input.way }, now)
			};
		}
	}),
	'endpoint.networks': stepHandler<{ site: string; ranges: string[] }>({
		async run({ input }) {
			return {
				write: (db) => {
					run(db, 'DELETE FROM endpoint_ranges WHERE site_id = ?', [input.site]);
					for (const range of input.ranges) insertRow(db, 'endpoint_ranges', { site_id: input.site, range });
					// What was worked out from them is worked out anew.
					run(db, 'UPDATE endpoint_revision SET number = number + 1');
				}
			};
		}
	}),
	'endpoint.called-at': stepHandler<{ address: string }>({
		async run({ input }) {
			return { write: (db) => putSetting(db, CALLED_AT, input.address) };
		}
	}),
	'branch.write': stepHandler<{ id: string; name: string; parent: string | null; site: string | null }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) =>
					putAt(db, 'branches', { id: input.id, name: input.name, parent_id: input.parent, site_id: input.site }, now)
			};
		}
	}),
	'branch.end': stepHandler<{ id: string }>({
		async run({ ctx, input }) {
			return { write: (db) => closeAt(db, 'branches', { id: input.id }, ctx.clock.now()) };
		}
	}),
	'firmware.write': stepHandler<{
		branch: string;
		model: string;
		is: { version: string; bytes: number; thin: boolean } | null;
	}>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			const key = { branch_id: input.branch, model: input.model };
			const { is } = input;
			return {
				write: (db) =>
					is
						? putAt(
								db,
								'firmware_wishes',
								{ ...key, version: is.version, bytes: is.bytes, thin: is.thin ? 1 : 0, by: job.by },
								now
							)
						: closeAt(db, 'firmware_wishes', key, now)
			};
		}
	}),
	'rules.write': stepHandler<{ rules: RuleWrite[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => writeRules(db, input.rules, now) };
		}
	})
};
