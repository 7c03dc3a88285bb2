import { effectWords, ruleWords } from '$lib/core/reach/sentence';
import type { Destination } from '$lib/core/reach/targets';
import { channelWords } from '$lib/core/reach/channels';
import { countWords, numberWords, sizeWords } from '$lib/core/time/units';
import type { Card, CardLine, CardSection } from '$lib/core/why/card';
import type { Context } from '../context';
import type { Db } from '../db';
import { personCalled } from '../directory';
import type { Then } from '../things/catalogue';
import { answeringAt, cataloguedAt, categoriesAt, gatewaysAt, servicesAt, spokenAt, type Answering } from './queries';
import { inForceAt } from './standing';
import { sitesOf, waysOf } from '../estate';
import { gatewayFact, shutFacts } from './watching';
import { decidesNow, grouped, passingOf, reachableBy, whoReaches, type Reachable } from './reaching';
import { standingOf } from './view';
import { outcomeWords } from './words';

/** So many people, categories and names are said by name. */
const NAMED = 5;

const some = (names: readonly string[], of = names.length): string =>
	of > NAMED ? `${names.slice(0, NAMED).join(', ')} and ${numberWords(of - NAMED)} more` : names.join(', ');

const byRule = (number: number | null): string => (number === null ? 'the end of the list' : `rule ${number}`);

/** Where everybody who reaches something is listed. */
export const reachersHref = (target: Destination): string =>
	`/secure/rules?list=people&${target.kind === 'site' ? `host=${encodeURIComponent(target.host)}` : `service=${encodeURIComponent(target.id ?? '')}`}`;

/** Who reaches something in the circumstances in which they are, in groups by the rule that decides. */
function reachersSection(db: Db, target: Destination, at: number): CardSection {
	const book = inForceAt(db, at).book;
	return {
		kind: 'lines',
		title: 'Who reaches it, each as they are now',
		lines: [
			...grouped(whoReaches(db, target, at)).map(({ effect, number, people }): CardLine => ({
				words: `${countWords(people.length, 'person', 'people')}: ${outcomeWords(effect)}, by ${byRule(number)}`,
				note: some(
					people.slice(0, NAMED).map((p) => p.name),
					people.length
				),
				...(number === null ? {} : { card: `access-rule/${book.rules[number - 1]!.id}` })
			})),
			{ words: 'All of them, one by one', href: reachersHref(target) }
		]
	};
}

/** The rules that speak of something, as lines of a card. */
function rulesSection(db: Db, at: number, speaks: (w: { kind: string; id?: string }) => boolean): CardSection {
	const { names } = spokenAt(db, at);
	return {
		kind: 'lines',
		title: 'Rules that speak of it',
		lines: inForceAt(db, at).book.rules.flatMap((r, i): CardLine[] =>
			[...r.what, ...r.whatNot].some(speaks)
				? [
						{
							words: `${i + 1}: ${effectWords(r.effect)} ${ruleWords(r, names)}`,
							card: `access-rule/${r.id}`,
							...(r.name ? { note: r.name } : {})
						}
					]
				: []
		)
	};
}

const answersWords = (state: Answering | undefined): string =>
	!state ? 'not asked' : state.answers ? `yes, ${state.ms ?? 0} ms away` : 'no';

export function innerGatewayCard({ db }: Context, id: string, { at, live }: Then): Card | null {
	const g = gatewaysAt(db, at).find((x) => x.id === id);
	if (!g) return null;
	const state = answeringAt(db, 'inner_gateway_states', at).get(id);
	const inside = answeringAt(db, 'private_service_states', at);
	const behind = servicesAt(db, at).filter((s) => s.gateway === id);
	const way = waysOf(db);
	return {
		kind: 'inner-gateway',
		id,
		title: g.name,
		sub: `inner gateway in ${g.siteName}`,
		rows: [
			{ name: 'site', value: g.siteName, scope: `site:${g.site}` },
			{ name: 'address', value: g.address },
			{ name: 'answers', value: !state ? 'not asked yet' : state.answers ? `yes, after ${state.ms ?? 0} ms` : 'no' }
		],
		links: live
			? [{ words: 'Change it', href: `/secure/rules?list=services&make=gateway&edit=${encodeURIComponent(id)}` }]
			: [],
		facts: [
			gatewayFact(!state ? 'not asked' : state.answers ? 'answers' : 'silent', g.address, state?.since ?? null),
			{ words: `it is as it is by ${g.by}`, at: g.since, source: 'access rules' }
		],
		actions: live ? [{ words: 'Remove it', kind: 'inner-gateway.remove', input: { gateway: id } }] : [],
		sections: [
			{
				kind: 'lines',
				title: 'Private services behind it',
				lines: behind.map((s) => ({
					words: s.name,
					card: `private-service/${s.id}`,
					note: state?.answers === false ? 'cannot be reached' : `answers: ${answersWords(inside.get(s.id))}`
				}))
			},
			{
				kind: 'lines',
				title: 'Round trip to it, by where people sit',
				lines: sitesOf(db).map((s) => ({ words: s.name, note: `${Math.round(way(s.id, g.site))} ms` }))
			}
		]
	};
}

export function privateServiceCard({ db }: Context, id: string, { at, live }: Then): Card | null {
	const s = servicesAt(db, at).find((x) => x.id === id);
	if (!s) return null;
	const gateway = gatewaysAt(db, at).find((g) => g.id === s.gateway);
	return {
		kind: 'private-service',
		id,
		title: s.name,
		sub: `private service${s.group === null ? '' : ` of ${s.group}`}`,
		rows: [
			{ name: 'hosts', value: s.hosts.join(', ') },
			{ name: 'ports', value: `${s.protocol} ${s.ports.join(', ')}` },
			gateway
				? { name: 'behind', value: gateway.name, card: `inner-gateway/${gateway.id}` }
				: { name: 'behind', value: 'no inner gateway' },
			...(gateway
				? [{ name: 'answers its gateway', value: answersWords(answeringAt(db, 'private_service_states', at).get(id)) }]
				: [])
		],
		links: live
			? [{ words: 'Change it', href: `/secure/rules?list=services&make=service&edit=${encodeURIComponent(id)}` }]
			: [],
		facts: [...shutFacts(db, s, at), { words: `it is as it is by ${s.by}`, at: s.since, source: 'access rules' }],
		actions: live ? [{ words: 'Remove it', kind: 'private-service.remove', input: { service: id } }] : [],
		sections: [
			reachersSection(db, { kind: 'service', id }, at),
			rulesSection(
				db,
				at,
				(w) =>
					w.kind === 'services' || (w.kind === 'service' && w.id === id) || (w.kind === 'group' && w.id === s.group)
			)
		]
	};
}

export function siteCategoryCard({ db }: Context, id: string, { at }: Then): Card | null {
	const c = categoriesAt(db, at).find((x) => x.id === id);
	if (!c) return null;
	const names = [...cataloguedAt(db, at)].flatMap(([name, category]) => (category === id ? [name] : []));
	return {
		kind: 'site-category',
		id,
		title: c.name,
		sub: `site category, ${countWords(c.sites, 'name')}`,
		rows: [{ name: 'names', value: some(names) }],
		facts: [
			{ words: `${countWords(c.sites, 'name is', 'names are')} of it, each with all beneath it`, source: 'catalogue' }
		],
		actions: [],
		sections: [
			...(names.length ? [reachersSection(db, { kind: 'site', host: names[0]! }, at)] : []),
			rulesSection(db, at, (w) => w.kind === 'web' || (w.kind === 'category' && w.id === id))
		]
	};
}

export function accessRuleCard({ db }: Context, id: string, { at, live }: Then): Card | null {
	const book = inForceAt(db, at).book;
	const n = book.rules.findIndex((r) => r.id === id);
	if (n < 0) return null;
	const { rule, since, by } = book.rows[n]!;
	const { names } = spokenAt(db, at);
	const decides = decidesNow(db, id, at);
	const stands = standingOf(db, id, at);
	const services = rule.what.flatMap((w) => (w.kind === 'service' ? [w] : []));
	return {
		kind: 'access-rule',
		id,
		title: rule.name || `Access rule ${n + 1}`,
		sub: `rule ${n + 1} of ${numberWords(book.rules.length)}: ${effectWords(rule.effect).toLowerCase()}`,
		rows: [
			{ name: 'says', value: ruleWords(rule, names) },
			...(rule.words === null ? [] : [{ name: 'people are told', value: `“${rule.words}”` }]),
			{
				name: 'decides now for',
				value:
					decides === null ? 'not worked out: too many people and targets' : countWords(decides, 'person', 'people')
			}
		],
		links: live ? [{ words: 'Change it', href: `/secure/rules?rule=${encodeURIComponent(id)}` }] : [],
		facts: [
			{ words: `it is as it is by ${by}`, at: since, source: 'access rules' },
			...(stands
				? [{ words: `it ${stands.short}: ${stands.words}`, side: 'against' as const, source: 'access rules' }]
				: [])
		],
		actions: live ? [{ words: 'Remove it', kind: 'access-rules.change', input: { edits: [{ remove: id }] } }] : [],
		sections: services.length
			? [
					{
						kind: 'lines',
						title: 'Services that it is about',
						lines: services.map((w) => ({ words: names.what([w]), card: `private-service/${w.id}` }))
					}
				]
			: []
	};
}

/** What somebody can reach, for their card. */
export function reachableSections(db: Db, login: string, at: number): CardSection[] {
	const person = personCalled(db, login, at);
	const book = inForceAt(db, at).book;
	if (!person || (book.rules.length === 0 && servicesAt(db, at).length === 0)) return [];
	const { services, web } = reachableBy(db, person, at);
	const kept = passingOf(db, person, at).filter((p) => p.upTo !== null);
	const line = (r: Reachable['services'][number]): CardLine => ({
		words: `${r.name}: ${outcomeWords(r.effect)}, by ${byRule(r.number)}`,
		card: `private-service/${r.id}`
	});
	return [
		{
			kind: 'lines',
			title: 'What they reach, as they are now',
			lines: [
				...services.map(line),
				...web.map((w): CardLine => ({
					words: `${countWords(w.names, 'web site')} of the catalogue: ${outcomeWords(w.effect)}, by ${byRule(w.number)}`,
					note: some(w.categories.map((c) => c.name)),
					...(w.number === null ? {} : { card: `access-rule/${book.rules[w.number - 1]!.id}` })
				}))
			]
		},
		...(kept.length
			? [
					{
						kind: 'lines' as const,
						title: 'What rules keep back of their sessions',
						lines: kept.map((p): CardLine => ({
							words: `${channelWords(p.passage)}: ${p.upTo === 0 ? '' : `up to ${sizeWords(p.upTo ?? 0)} at once; more `}${outcomeWords(p.effect)}, by ${byRule(p.number)}`,
							...(p.number === null ? {} : { card: `access-rule/${book.rules[p.number - 1]!.id}` })
						}))
					}
				]
			: [])
	];
}
