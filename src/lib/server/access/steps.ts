import { closeAt, putAt } from '../db/intervals';
import { stepHandler } from '../jobs/step';

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

export const accessSteps = {
	'grant.write': stepHandler<GrantInput>({
		async run({ ctx, input: g }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					putAt(
						db,
						'grants',
						{
							id: g.id,
							publication_id: g.publication,
							team_id: g.teamId,
							person_id: g.personId,
							conditions: JSON.stringify(g.conditions),
							channels: JSON.stringify(g.channels),
							kind: g.kind,
							machines: g.machines
						},
						now
					);
				}
			};
		}
	}),

	'grant.close': stepHandler<{ id: number }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => closeAt(db, 'grants', { id: input.id }, now) };
		}
	})
};
