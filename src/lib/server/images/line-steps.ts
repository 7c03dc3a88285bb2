import type { BuildSheet } from '$lib/core/images/sheet';
import { one, run } from '../db';
import { openAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { stepHandler } from '../jobs/step';

export const lineSteps = {
	'line.write': stepHandler<{
		id: string;
		name: string;
		system: string;
		users: 'single' | 'multi';
		generation: 1 | 2;
		sheet: BuildSheet;
	}>({
		async run({ ctx, input: { sheet, ...line } }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const { position } = one<{ position: number }>(
						db,
						'SELECT coalesce(max(position), -1) + 1 AS position FROM lines'
					)!;
					insertRow(db, 'lines', { ...line, position, since: now });
					openAt(db, 'sheets', { line_id: line.id, body: JSON.stringify(sheet) }, now);
				}
			};
		}
	}),

	'line.forget': stepHandler<{ line: string }>({
		async run({ input }) {
			return {
				write: (db) => {
					run(db, 'DELETE FROM sheets WHERE line_id = ?', [input.line]);
					run(db, 'DELETE FROM lines WHERE id = ?', [input.line]);
				}
			};
		}
	})
};
