import * as fc from 'fast-check';
import { describe, expect, test } from 'vitest';
import { decideOpening, inDates, sees, type Conditions, type Door } from './decide';
import { whoGetsWhat, whyInMatrix, type MatrixGrant, type MatrixPerson, type MatrixTeam } from './matrix';

const AT = Date.UTC(2026, 10, 17, 13, 30);
const teams: MatrixTeam[] = [
	{ id: 'all', name: 'All', parent: null },
	{ id: 'a', name: 'A', parent: 'all' },
	{ id: 'aa', name: 'AA', parent: 'a' },
	{ id: 'b', name: 'B', parent: 'all' },
	{ id: 'apart', name: 'Apart', parent: null }
];
const names = teams.map((t) => t.id);
const above = (id: string): string[] => {
	const t = teams.find((x) => x.id === id)!;
	return t.parent === null ? [id] : [id, ...above(t.parent)];
};
/** All teams that somebody counts in. */
const allOf = (p: { memberOf: readonly string[] }) => [...new Set(p.memberOf.flatMap(above))];
const conditions = fc.record<Conditions>(
	{
		hours: fc.record({
			days: fc.constantFrom([1, 2, 3, 4, 5], [6, 7], [2]),
			from: fc.constantFrom(0, 540, 840),
			until: fc.constantFrom(900, 1440)
		}),
		managedEndpoint: fc.constant(true),
		networks: fc.constantFrom(['10.1.0.0/16'], ['10.2.0.0/16', '10.3.0.0/16']),
		from: fc.constantFrom('2026-11-01', '2026-11-17', '2026-11-18'),
		to: fc.constantFrom('2026-11-16', '2026-11-17', '2026-12-31')
	},
	{ requiredKeys: [] }
);
const people = fc.array(
	fc.record({
		memberOf: fc.subarray(names, { minLength: 1 }),
		zone: fc.constantFrom('Europe/Oslo', 'Australia/Hobart', 'America/Halifax'),
		device: fc.record({
			name: fc.constant('d'),
			certificate: fc.constantFrom('good', 'ended', 'revoked', 'none')
		}),
		address: fc.constantFrom('10.1.0.5', '10.2.9.1', '192.0.2.4')
	}),
	{ maxLength: 20 }
);
const grants = fc.array(
	fc.record({
		publication: fc.constantFrom('p', 'q'),
		team: fc.constantFrom(...names),
		person: fc.option(fc.nat(19)),
		kind: fc.constantFrom<'required' | 'optional'>('required', 'optional'),
		conditions
	}),
	{ maxLength: 8 }
);

const some = fc.option(
	fc.subarray(names, { maxLength: 2 }).map((ids) => ids.map((id) => ({ id, name: id }))),
	{ nil: undefined }
);
const doors = fc.tuple(
	fc.record<Door>({ off: fc.constantFrom(false, false, true), visible: some, starters: some }),
	fc.record<Door>({ visible: some })
);

describe('who gets what', () => {
	test('says of every team and publication what a decision for each person says', () => {
		fc.assert(
			fc.property(people, grants, doors, (ps, gs, [p, q]) => {
				const persons: MatrixPerson[] = ps.map((p, i) => ({ login: `l${i}`, ...p }));
				const given: MatrixGrant[] = gs.map((g, i) => ({
					id: i,
					publication: g.publication,
					kind: g.kind,
					conditions: g.conditions,
					to:
						g.person === null
							? { kind: 'team', id: g.team, name: g.team }
							: { kind: 'person', id: `l${g.person}`, name: `L${g.person}` }
				}));
				const columns = [
					{ id: 'p', door: p },
					{ id: 'q', door: q }
				];
				const m = whoGetsWhat(AT, teams, persons, columns, given);
				expect(m.teams.map((t) => t.id)).toEqual(names);
				m.teams.forEach((t, row) => {
					const inIt = persons.filter((p) => allOf(p).includes(t.id));
					expect(t.people).toBe(inIt.length);
					m.publications.forEach((publication, column) => {
						const own = given.filter((g) => g.publication === publication);
						const { door } = columns[column]!;
						const reach = (p: MatrixPerson) =>
							own.filter(
								(g) =>
									sees(door, allOf(p)) &&
									(g.to.kind === 'person' ? g.to.id === p.login : allOf(p).includes(g.to.id)) &&
									inDates(g.conditions, p.zone, AT) !== 'over'
							);
						const open = (p: MatrixPerson) =>
							decideOpening(
								{
									personId: p.login,
									teams: allOf(p),
									at: AT,
									zone: p.zone,
									address: p.address,
									device: p.device,
									secondFactor: true
								},
								door,
								own.map((g) => ({ id: String(g.id), to: g.to, conditions: g.conditions, channels: [] }))
							).value.allowed;
						const at = row * 2 + column;
						expect(m.has[at]).toBe(inIt.filter((p) => reach(p).length > 0).length);
						expect(m.now[at]).toBe(inIt.filter(open).length);
						expect(m.required[at]).toBe(inIt.filter((p) => reach(p).some((g) => g.kind === 'required')).length);
						if (m.has[at]! > 0) expect(whyInMatrix(t.id, columns[column]!, teams, persons, given).value).toBe(true);
					});
				});
				const own = given.filter((g) => g.publication === 'p');
				const reached = persons.filter(
					(x) =>
						sees(p, allOf(x)) &&
						own.some(
							(g) =>
								(g.to.kind === 'person' ? g.to.id === x.login : allOf(x).includes(g.to.id)) &&
								inDates(g.conditions, x.zone, AT) !== 'over'
						)
				);
				expect(m.totals[0]).toBe(reached.length);
			}),
			{ numRuns: 400 }
		);
	});
});
