import { outcomes } from '$lib/core/people/changes';
import type { GivenPerson } from '$lib/core/people/given';
import type { DirectoryChange, TeamRecord } from '$lib/core/people/record';
import type { Db } from '../db';
import { endTeam, personNumber, recordsOf, writePerson, writeTeam } from '../directory';
import { stepHandler } from '../jobs/step';
import { StepFailed } from '../providers';
import { importNow, type Import } from './files';
import { backThen, type AsThen } from './planner';
import { putNow } from './put';

/** Writes down what changes come to for people of our own list. Everybody first, so that whoever reports to somebody new finds them. */
function writeChanges(db: Db, changes: readonly DirectoryChange[], now: number): void {
	const known = recordsOf(
		db,
		changes.flatMap((c) =>
			c.kind === 'person' ? [c.is.login, c.was ?? c.is.login] : c.kind === 'person gone' ? [c.login] : []
		),
		now
	);
	const found = outcomes(changes, (login) => known.get(login) ?? null);
	const numbers = found.map((o) => (o.before ? known.get(o.before.login)!.id : personNumber(db, o.after, 'here')));
	found.forEach((o, i) => writePerson(db, numbers[i]!, o.after, now));
}

export const peopleSteps = {
	'people.put': stepHandler<{ people: GivenPerson[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					const { changes, problems } = putNow(db, input.people, now);
					if (problems.length) throw new StepFailed(problems.map((x) => x.words).join(' '));
					writeChanges(db, changes, now);
				}
			};
		}
	}),
	'people.import': stepHandler<Import>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			const b = importNow(ctx.db, input, now);
			// What stands in the file has not changed since it was looked at; what is known may have.
			if (b.problems.length) throw new StepFailed(`line ${b.problems[0]!.line}: ${b.problems[0]!.words}`);
			return {
				write: (db) => {
					for (const team of b.teams) writeTeam(db, team, 'here', now);
					writeChanges(db, b.changes, now);
					for (const id of b.goneTeams) endTeam(db, id, now);
				}
			};
		}
	}),
	'people.as-then': stepHandler<AsThen>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const team of [...(input.teams?.went ?? []), ...(input.teams?.before ?? [])])
						writeTeam(db, team, 'here', now);
					writeChanges(db, backThen(db, input, now), now);
					for (const id of input.teams?.came ?? []) endTeam(db, id, now);
				}
			};
		}
	}),
	'team.write': stepHandler<TeamRecord>({
		async run({ ctx, input }) {
			return { write: (db) => writeTeam(db, input, 'here', ctx.clock.now()) };
		}
	}),
	'team.end': stepHandler<{ id: string }>({
		async run({ ctx, input }) {
			return { write: (db) => endTeam(db, input.id, ctx.clock.now()) };
		}
	})
};
