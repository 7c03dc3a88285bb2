import * as v from 'valibot';
import { contradictions, type Contradiction, type Relying } from '$lib/core/reach/contradictions';
import { OTHERWISE, type AccessRule, type Reacher } from '$lib/core/reach/rules';
import type { World } from '$lib/core/reach/world';
import { noEffects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { CardSection } from '$lib/core/why/card';
import type { Need } from '$lib/core/why/need';
import { all, type Db } from '../db';
import { asOf } from '../db/intervals';
import { everybody } from '../directory';
import { planKind, stepOf, type Draft } from '../plans/kind';
import { grantsAt, publicationsAt } from '../publications';
import { fact, id, problem } from './fields';
import { reachersAt, reliedAt, servicesAt } from './queries';
import { inForceAt, type InForce } from './standing';

/** Publications that need private services, and people to whom they are granted while rules refuse those. */

/** Tells to whom a publication is granted. */
function grantedAt(db: Db, at: number): (publication: string) => Reacher[] {
	const people = everybody(db, at);
	const reachers = reachersAt(db, at);
	const grants = grantsAt(db, at);
	return (publication) => {
		const own = grants.filter((g) => g.publication === publication);
		const ids = (kind: 'team' | 'person') => new Set(own.flatMap((g) => (g.toKind === kind ? [g.toId] : [])));
		const [teams, persons] = [ids('team'), ids('person')];
		return people.flatMap((p, i) =>
			persons.has(String(p.id)) || p.teams.some((t) => teams.has(t)) ? [reachers[i]!] : []
		);
	};
}

const SERVICE = 'service/';

/** What is granted and needs something inside, each with everybody who is granted it. */
function relyingAt(db: Db, at: number): (Relying & { name: string })[] {
	const relied = reliedAt(db, at);
	const publications = publicationsAt(db, at).filter((p) => relied.has(p.id) || p.reaches?.startsWith(SERVICE));
	if (publications.length === 0) return [];
	const there = new Set(servicesAt(db, at).map((s) => s.id));
	const granted = grantedAt(db, at);
	return publications.flatMap(({ id, name, pools, reaches }) => {
		// What is opened in a browser alone is nothing without it.
		const opens = reaches?.startsWith(SERVICE) ? [reaches.slice(SERVICE.length)] : [];
		const services = [...new Set([...opens, ...(relied.get(id) ?? [])])].filter((s) => there.has(s));
		return services.length ? [{ id, name, pools, services, people: granted(id) }] : [];
	});
}

/** A contradiction in words: whom it is about, `147 people are granted My desk and never reach Rosters`, and why: `… which it needs: rule 5 refuses`. */
export function contradictionWords(
	c: Contradiction,
	called: { publication: string; service: string },
	rules: readonly AccessRule[]
): { who: string; words: string } {
	const by = c.rules.map((r) =>
		r === OTHERWISE ? 'the end of the list' : `rule ${rules.findIndex((x) => x.id === r) + 1}`
	);
	const who = `${countWords(c.people.length, 'person is', 'people are')} granted ${called.publication} and never ${c.people.length === 1 ? 'reaches' : 'reach'} ${called.service}`;
	return { who, words: `${who}, which it needs: ${by.join(' and ')} ${by.length === 1 ? 'refuses' : 'refuse'}` };
}

/** What was worked out last, by the people that it is about and by what it was worked out from. */
const worked = new WeakMap<object, { of: InForce; key: string; came: ReturnType<typeof contradictions> }>();

/**
 * Everything at a moment that is granted and does not work, since what it needs is refused whatever the circumstances.
 * @param drafted rules in the place of those in force
 */
export function contradictionsAt(db: Db, at: number, drafted?: World) {
	const relying = relyingAt(db, at);
	if (relying.length === 0) return { exact: true, found: [] };
	const rules = drafted?.rules ?? inForceAt(db, at).book.rules;
	const names = new Map(relying.map((r) => [r.id, r.name]));
	const services = new Map(servicesAt(db, at).map((s) => [s.id, s.name]));
	const { found, exact } = drafted ? contradictions(drafted, relying) : nowInForce(db, at, relying);
	return {
		exact,
		found: found.map((c) => ({
			...c,
			...contradictionWords(c, { publication: names.get(c.publication)!, service: services.get(c.service)! }, rules)
		}))
	};
}

/** The same for the rules in force, once for as long as nothing of it changes: Today asks again and again. */
function nowInForce(db: Db, at: number, relying: readonly Relying[]): ReturnType<typeof contradictions> {
	const people = reachersAt(db, at);
	const of = inForceAt(db, at);
	const key = JSON.stringify(relying.map((r) => [r.id, r.pools, r.services, r.people.map((p) => p.login)]));
	let known = worked.get(people);
	if (known?.of !== of || known.key !== key) {
		known = { of, key, came: contradictions(of.world, relying) };
		worked.set(people, known);
	}
	return known.came;
}

/** Whom something is granted that does not work for them, on Today. */
export function relyingNeeds(db: Db, at: number): Need[] {
	const { found } = contradictionsAt(db, at);
	if (found.length === 0) return [];
	const { since: ruled } = inForceAt(db, at).book;
	const said = new Map(
		all<{ id: string; since: number }>(
			db,
			`SELECT publication_id AS id, since FROM relied_services WHERE ${asOf('relied_services')}`,
			{ at }
		).map((r) => [r.id, r.since])
	);
	return found.map((c) => ({
		key: `contradiction-${c.publication}-${c.service}`,
		people: c.people.length,
		count: c.people.length,
		unit: c.people.length === 1 ? 'person' : 'people',
		tone: 'sand',
		title: c.who,
		facts: [
			{
				words: `${c.words.slice(c.who.length + 2)}, wherever they are, at every hour, on every device`,
				side: 'against',
				about: { kind: 'private-service', id: c.service },
				source: 'access rules'
			}
		],
		card: `publication/${c.publication}`,
		href: '/secure/rules',
		plan: null,
		since: Math.max(ruled, said.get(c.publication) ?? 0),
		about: { publication: [c.publication] }
	}));
}

/** What a publication needs inside, for its card. */
export function reliedSections(db: Db, publication: string, at: number): CardSection[] {
	const services = new Map(servicesAt(db, at).map((s) => [s.id, s.name]));
	const relied = (reliedAt(db, at).get(publication) ?? []).filter((s) => services.has(s));
	if (services.size === 0) return [];
	const against = contradictionsAt(db, at).found.filter((c) => c.publication === publication);
	return [
		{
			kind: 'lines',
			title: 'Private services that it needs',
			lines: [
				...relied.map((s) => {
					const shut = against.find((c) => c.service === s);
					return {
						words: services.get(s)!,
						card: `private-service/${s}`,
						...(shut ? { note: shut.words } : {})
					};
				}),
				{
					words: relied.length ? 'Say otherwise' : 'None is said: say which',
					href: `/secure/rules?list=services&make=needs&edit=${encodeURIComponent(publication)}`
				}
			]
		}
	];
}

export const relyOn = planKind({
	kind: 'publication.relies-on',
	words: 'Say which private services a publication does not work without',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		publication: id('Choose a desktop or app.'),
		services: v.pipe(v.array(id('Choose a service.')), v.maxLength(100, 'At most 100.'))
	}),
	async draft({ db, clock }, input): Promise<Draft> {
		const now = clock.now();
		const publication = publicationsAt(db, now).find((p) => p.id === input.publication);
		if (!publication) throw problem('publication', `There is no desktop or app ${input.publication.slice(0, 60)}.`);
		const names = new Map(servicesAt(db, now).map((s) => [s.id, s.name]));
		const services = [...new Set(input.services)].sort();
		const missing = services.findIndex((s) => !names.has(s));
		if (missing >= 0) throw problem(`services.${missing}`, `There is no service ${services[missing]!.slice(0, 60)}.`);
		const was = (reliedAt(db, now).get(publication.id) ?? []).sort();
		const { world } = inForceAt(db, now);
		const { found } = contradictions(world, [
			{ id: publication.id, pools: publication.pools, services, people: grantedAt(db, now)(publication.id) }
		]);
		return {
			title: services.length
				? `${publication.name} needs ${services.map((s) => names.get(s)).join(', ')}`.slice(0, 200)
				: `${publication.name} needs no private service`,
			effects: noEffects(),
			warnings: found.map((c) => {
				const called = { publication: publication.name, service: names.get(c.service)! };
				return fact(contradictionWords(c, called, world.rules).words, 'against');
			}),
			blocks: JSON.stringify(services) === JSON.stringify(was) ? [fact('it is so already', 'against')] : [],
			reasons: [fact('whoever is granted it and refused what it needs is said on Today')],
			objects: [`publication-needs/${publication.id}`],
			steps: [
				stepOf(
					'publication.relies-on.write',
					'Write down what it needs',
					{ publication: publication.id, services },
					200
				)
			],
			undo: { kind: 'publication.relies-on', input: { publication: publication.id, services: was } },
			undoWords: 'Yes: it needs again what it needed.'
		};
	}
});
