import { FOREVER } from '$lib/core/time/units';
import { run, type Db } from '../db';
import { stepHandler, type StepHandler } from '../jobs/step';

interface GrantInput {
	id: number;
	publication: string;
	teamId: string | null;
	personId: number | null;
	conditions: unknown;
	channels: string[];
	kind: 'required' | 'optional';
	machines: number;
}

export const accessSteps: Record<string, StepHandler> = {
	'grant.write': stepHandler<GrantInput>({
		async run({ ctx, input: g }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					close(db, g.id, now);
					run(db, 'INSERT INTO grants VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, ?)', [
						g.id,
						now,
						FOREVER,
						g.publication,
						g.teamId,
						g.personId,
						JSON.stringify(g.conditions),
						JSON.stringify(g.channels),
						g.kind,
						g.machines
					]);
				}
			};
		}
	}),

	'grant.close': stepHandler<{ id: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => close(db, input.id, now) };
		}
	})
};

function close(db: Db, id: number, now: number): void {
	run(db, 'DELETE FROM grants WHERE id = ? AND since >= ?', [id, now]);
	run(db, 'UPDATE grants SET until = ? WHERE id = ? AND until > ?', [now, id, now]);
}
