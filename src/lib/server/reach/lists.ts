import * as v from 'valibot';
import { EFFECTS } from '$lib/core/reach/rules';
import { ruleWords } from '$lib/core/reach/sentence';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { answeringAt, categoriesAt, gatewaysAt, servicesAt, spokenAt } from './queries';
import { inForceAt } from './standing';
import { gatewayFact, shutAt, shutFacts } from './watching';

export const accessRules = shortList({
	name: 'access-rules',
	words: 'Access rules in their order: who may reach which web sites and private services; the first that fits decides',
	card: 'access-rule',
	row: v.strictObject({
		id: text,
		/** From 1 on. */
		number: whole,
		name: text,
		decides: v.picklist(EFFECTS),
		/** Whom and what it is about, and what it asks. */
		says: text,
		/** What people are told; empty: nothing of its own. */
		tells: text,
		since: moment,
		by: text
	}),
	rows: (db, at) => {
		const { names } = spokenAt(db, at);
		return inForceAt(db, at).book.rows.map(({ rule, since, by }, i) => ({
			id: rule.id,
			number: i + 1,
			name: rule.name,
			decides: rule.effect,
			says: ruleWords(rule, names),
			tells: rule.words ?? '',
			since,
			by
		}));
	},
	called: (r) => r.name || `rule ${r.number}`,
	why: (_db, r): Fact[] => [
		{ words: `it is as it is by ${r.by}`, at: r.since, source: 'access rules' },
		{
			words:
				r.number === 1
					? 'it stands first: whatever it fits it decides'
					: `it decides what the ${r.number - 1} before it leave`,
			source: 'access rules'
		}
	]
});

export const privateServices = shortList({
	name: 'private-services',
	words: 'What people reach inside by host and port',
	card: 'private-service',
	row: v.strictObject({
		id: text,
		name: text,
		group: v.nullable(text),
		hosts: v.array(text),
		ports: v.array(text),
		protocol: v.picklist(['tcp', 'udp']),
		/** The inner gateway that it stands behind, and what that is called. */
		gateway: v.nullable(text),
		gatewayName: v.nullable(text),
		/** `reached`: it answers its gateway, so many ms away from it; `shut`: it does not, or its gateway is silent; `not asked`. */
		state: v.picklist(['reached', 'shut', 'not asked']),
		ms: v.nullable(whole),
		/** How many access rules speak of it by its name. */
		rules: whole,
		since: moment,
		by: text
	}),
	rows: (db, at) => {
		const { rules } = inForceAt(db, at).book;
		const gateways = new Map(gatewaysAt(db, at).map((g) => [g.id, g.name]));
		const answering = answeringAt(db, 'private_service_states', at);
		const whyShut = shutAt(db, at);
		return servicesAt(db, at).map((s) => ({
			...s,
			gatewayName: s.gateway === null ? null : (gateways.get(s.gateway) ?? s.gateway),
			state: whyShut(s) ? ('shut' as const) : answering.has(s.id) ? ('reached' as const) : ('not asked' as const),
			ms: answering.get(s.id)?.ms ?? null,
			rules: rules.filter((r) => [...r.what, ...r.whatNot].some((w) => w.kind === 'service' && w.id === s.id)).length
		}));
	},
	called: (s) => s.name,
	why: (db, s, at): Fact[] => [
		{ words: `it is as it is by ${s.by}`, at: s.since, source: 'access rules' },
		...shutFacts(db, s, at),
		{ words: `${s.hosts.join(', ')} at ${s.protocol} ${s.ports.join(', ')}`, source: 'access rules' },
		{
			words: `${countWords(s.rules, 'access rule speaks', 'access rules speak')} of it by name`,
			source: 'access rules'
		}
	]
});

export const innerGateways = shortList({
	name: 'inner-gateways',
	words: 'Gateways that stand beside private services and let people through to them, with whether each answers',
	card: 'inner-gateway',
	row: v.strictObject({
		id: text,
		name: text,
		site: text,
		siteName: text,
		/** Where it answers, as host:port. */
		address: text,
		state: v.picklist(['answers', 'silent', 'not asked']),
		/** Since when that is so. */
		stateSince: v.nullable(moment),
		/** Round trip to it, ms. */
		ms: v.nullable(whole),
		services: whole,
		since: moment,
		by: text
	}),
	rows: (db, at) => {
		const answering = answeringAt(db, 'inner_gateway_states', at);
		const services = servicesAt(db, at);
		return gatewaysAt(db, at).map((g) => {
			const state = answering.get(g.id);
			return {
				...g,
				state: !state ? ('not asked' as const) : state.answers ? ('answers' as const) : ('silent' as const),
				stateSince: state?.since ?? null,
				ms: state?.ms ?? null,
				services: services.filter((s) => s.gateway === g.id).length
			};
		});
	},
	called: (g) => g.name,
	why: (_db, g): Fact[] => [
		gatewayFact(g.state, g.address, g.stateSince),
		{ words: `it is as it is by ${g.by}`, at: g.since, source: 'access rules' }
	]
});

export const siteCategories = shortList({
	name: 'site-categories',
	words: 'Kinds of web sites that access rules speak of, with how many names are of each',
	card: 'site-category',
	row: v.strictObject({ id: text, name: text, sites: whole, rules: whole, since: moment }),
	rows: (db, at) => {
		const { rules } = inForceAt(db, at).book;
		return categoriesAt(db, at).map((c) => ({
			...c,
			rules: rules.filter((r) => [...r.what, ...r.whatNot].some((w) => w.kind === 'category' && w.id === c.id)).length
		}));
	},
	called: (c) => c.name,
	why: (_db, c): Fact[] => [
		{ words: `${countWords(c.sites, 'name is', 'names are')} of it, each with all beneath it`, source: 'catalogue' },
		{ words: `${countWords(c.rules, 'access rule speaks', 'access rules speak')} of it`, source: 'access rules' }
	]
});
