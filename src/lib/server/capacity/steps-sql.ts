/**
 * An interval `s` by the steps that it counts in (`countOver`): from @from on, @bins of @step each, as since, until and how many have the same;
 * to be grouped by the first two. One that has not ended by the last step ends behind it.
 */
export const STEPS = steps('s');

/** The same for another alias. */
export function steps(alias: string): string {
	// Parameters are no whole numbers to SQLite: what a division leaves over is cut off.
	const step = (moment: string) => `CAST((${alias}.${moment} - @from + @step - 1) / @step AS INTEGER)`;
	return `@from + @step * max(0, ${step('since')}) AS since, @from + @step * min(@bins, ${step('until')}) AS until, count(*) AS weight`;
}
