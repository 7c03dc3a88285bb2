import { stepHandler } from '../jobs/step';
import { closeAt, putAt } from '../db/intervals';
import { tellSettings } from './tell';

/** A group as a plan writes it; null: there is none of this id any more. */
export interface GroupWrite {
	id: string;
	is: {
		name: string;
		note: string;
		rank: number;
		values: Record<string, unknown>;
		assigned: string[];
		excluded: string[];
	} | null;
}

export const settingsSteps = {
	'settings.write': stepHandler<{ groups: GroupWrite[] }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const { id, is } of input.groups)
						if (is === null) closeAt(db, 'settings_groups', { id }, now);
						else
							putAt(
								db,
								'settings_groups',
								{
									id,
									name: is.name,
									note: is.note,
									rank: is.rank,
									said: JSON.stringify(is.values),
									assigned: JSON.stringify(is.assigned),
									excluded: JSON.stringify(is.excluded),
									by: job.by
								},
								now
							);
				}
			};
		}
	}),
	'settings.tell': stepHandler<Record<string, never>>({
		async run({ ctx }) {
			await tellSettings(ctx);
		}
	})
};
