import { FOREVER } from '$lib/core/time/units';
import { all, type Db } from '../db';
import { closeAt, openAt, putAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';

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

/** Where a device stood, whole, so that it can be put back. */
export interface Spot {
	id: number;
	branch: string | null;
	rule: number | null;
	by: string | null;
	why: string;
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
					for (const id of input.endpoints)
						putAt(
							db,
							'endpoint_spots',
							{ endpoint_id: id, branch_id: input.branch, rule_id: null, by: job.by, why: `put by ${job.by}` },
							now
						);
				}
			};
		}
	}),
	'endpoint.put-back': stepHandler<{ spots: Spot[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const s of input.spots)
						putAt(
							db,
							'endpoint_spots',
							{ endpoint_id: s.id, branch_id: s.branch, rule_id: s.rule, by: s.by, why: s.why },
							now
						);
				}
			};
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
	'rules.write': stepHandler<{ rules: RuleWrite[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => writeRules(db, input.rules, now) };
		}
	})
};
