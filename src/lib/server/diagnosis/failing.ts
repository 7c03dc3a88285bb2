import type { CheckName } from '$lib/core/diagnosis/checks';
import type { Scope, Term } from '$lib/core/scope/scope';
import { asOf, asOfByEnd } from '../db/intervals';
import { all, type Db } from '../db';
import { scopeCondition } from '../moment/scope-sql';
import { atMoment } from '../samples/read';
import { fromOf, MACHINES } from '../watch';

/** A check of a machine that fails. */
export interface FailingCheck {
	machine: string;
	name: CheckName;
	since: number;
	saw: string;
	sessions: number;
}

/** Checks that failed at a moment, of machines under a scope; `left`: terms that say nothing of machines. */
export function failingAt(db: Db, scope: Scope, at: number): { checks: FailingCheck[]; left: Term[] } {
	const condition = scopeCondition(scope, 'machine');
	const checks = all<FailingCheck>(
		db,
		`SELECT m.name AS machine, f.name, f.since, f.saw,
		 (SELECT count(*) FROM sessions s WHERE s.machine_id = m.id AND ${asOfByEnd('sessions s')}) AS sessions
		 FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE ${asOf('failing_checks f')}
		 AND m.id IN (SELECT m.id ${fromOf(MACHINES, condition.sql)} AND ${condition.sql}) ORDER BY f.since`,
		{ ...atMoment(db, at), ...condition.params }
	);
	return { checks, left: condition.left };
}
