import * as v from 'valibot';
import { EFFECTS } from '$lib/core/reach/rules';
import { ruleWords } from '$lib/core/reach/sentence';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { moment, text, whole } from '../lists/columns';
import { shortList } from '../lists/short';
import { bookAt, categoriesAt, servicesAt, spokenAt } from './queries';

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
		return bookAt(db, at).rows.map(({ rule, since, by }, i) => ({
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
		/** How many access rules speak of it by its name. */
		rules: whole,
		since: moment,
		by: text
	}),
	rows: (db, at) => {
		const { rules } = bookAt(db, at);
		return servicesAt(db, at).map((s) => ({
			...s,
			rules: rules.filter((r) => [...r.what, ...r.whatNot].some((w) => w.kind === 'service' && w.id === s.id)).length
		}));
	},
	called: (s) => s.name,
	why: (_db, s): Fact[] => [
		{ words: `it is as it is by ${s.by}`, at: s.since, source: 'access rules' },
		{ words: `${s.hosts.join(', ')} at ${s.protocol} ${s.ports.join(', ')}`, source: 'access rules' },
		{
			words: `${countWords(s.rules, 'access rule speaks', 'access rules speak')} of it by name`,
			source: 'access rules'
		}
	]
});

export const siteCategories = shortList({
	name: 'site-categories',
	words: 'Kinds of web sites that access rules speak of, with how many names are of each',
	card: 'site-category',
	row: v.strictObject({ id: text, name: text, sites: whole, rules: whole, since: moment }),
	rows: (db, at) => {
		const { rules } = bookAt(db, at);
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
