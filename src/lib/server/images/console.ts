import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { insertRow } from '../db/rows';
import { StepFailed } from '../providers';
import { openingOf } from './queries';

/** Types a line at the console of a line's reference machine, and keeps it with what was printed. Throws ProviderError when none is open. */
export async function typeAtConsole(ctx: Context, line: string, text: string, by: string): Promise<string[]> {
	const { db } = ctx;
	const open = openingOf(db, line, ctx.clock.now());
	if (!open) throw new StepFailed(`no version of ${line} is open`);
	const n =
		1 +
		(one<{ n: number | null }>(db, 'SELECT max(n) AS n FROM opening_lines WHERE opening_id = ?', [open.id])!.n ?? 0);
	const printed = await ctx.providers.builder.type(line, text, `opening-${open.id}-${n}`);
	const row = { opening_id: open.id, n, at: ctx.clock.now(), by, typed: text, printed: JSON.stringify(printed) };
	insertRow(db, 'opening_lines', row);
	return printed;
}

/** Openings of a line that have ended, newest first. */
export const handChangesOf = (
	db: Db,
	line: string,
	at: number
): { id: number; number: string; by: string; since: number; until: number; outcome: string; lines: number }[] =>
	all(
		db,
		`SELECT o.id, o.number, o.by, o.since, o.until, o.outcome, (SELECT count(*) FROM opening_lines l WHERE l.opening_id = o.id) AS lines
		 FROM openings o WHERE o.line_id = ? AND o.until <= ? ORDER BY o.id DESC LIMIT 10`,
		[line, at]
	);
