import { gather } from '../measures/gather';
import { inRange } from '../network/addresses';
import { ANYWHERE, type AccessRule, type From, type Reacher, type Whom } from './rules';
import type { Target, What } from './targets';
import { World, type Ground } from './world';

/** Something that somebody reached by a rule. */
export interface Use {
	person: Reacher;
	target: Target;
	/** Where they sat; null: not known. */
	address: string | null;
}

/** A rule that would have let through all that was used of another, and less beside. */
export interface Narrower {
	rule: AccessRule;
	/** Whom it is about, and whom the other is about. */
	people: { was: number; is: number; used: number };
	/** Sites that it asks for where the other asks for none; null: it asks for none either. */
	from: readonly string[] | null;
	/** What it is about, where that is less; null: the same. */
	what: readonly What[] | null;
}

/** A narrower rule has at most this share of the people, and of what it is about where that is said one by one. */
const WORTH = 0.5;
/** More teams, sites and kinds of targets than this make no rule that anybody reads. */
const TEAMS = 3;
const SITES = 4;
const KINDS = 8;

const peopleOf = (rule: AccessRule, people: readonly Reacher[], ground: Ground): Reacher[] => {
	const world = new World([{ ...rule, what: [], whatNot: [] }], { web: 'refuse', services: 'refuse' }, ground);
	return people.filter((p) => (world.rulesFor(p)[0]! & 1) === 1);
};

/**
 * The narrowest that a rule could be and still let through all that it let through: fewer people, from fewer sites, to less. Null where nothing of it
 * can be narrower in a way that somebody would write. What it asks of devices, hours and ways stays as it is: what was used met that.
 * Teams are chosen greedily, each time the one that adds the fewest others for those whom it adds (Chvátal 1979, weighted set cover).
 */
export function narrower(
	rule: AccessRule,
	uses: readonly Use[],
	people: readonly Reacher[],
	ground: Ground
): Narrower | null {
	if (uses.length === 0) return null;
	const users = new Map(uses.map((u) => [u.person.login, u.person]));
	const now = peopleOf(rule, people, ground);
	const who = fewer([...users.values()], now);
	const from = rule.from.length === 0 ? sitesOf(uses, ground) : null;
	const what = lessOf(rule, uses, ground);
	if (!who && !from && !what) return null;
	const found: AccessRule = {
		...rule,
		who: who ?? rule.who,
		from: from?.map((id): From => ({ kind: 'site', id })) ?? rule.from,
		what: what ?? rule.what
	};
	// Whatever it was made of: what was used is let through by it, or it is none.
	const plain = { ...found, pools: [], device: {}, when: {}, how: [], daily: null };
	const world = new World([plain], { web: 'refuse', services: 'refuse' }, ground);
	if (uses.some((u) => world.first(u.person, u.target, { ...ANYWHERE, address: u.address }) !== 0)) return null;
	const is = who ? peopleOf(found, people, ground).length : now.length;
	return { rule: found, people: { was: now.length, is, used: users.size }, from, what };
}

/**
 * The teams to name so that all users are among them and as few others as may be; null where those are hardly fewer people than there are now. Nobody is named
 * alone: that would tell what somebody did.
 */
function fewer(users: readonly Reacher[], now: readonly Reacher[]): Whom[] | null {
	const worth = now.length * WORTH;
	if (users.length > worth) return null;
	const members = new Map<string, Set<string>>();
	const about = new Set(now.map((p) => p.login));
	for (const p of now)
		for (const t of p.teams) {
			const known = members.get(t);
			if (known) known.add(p.login);
			else members.set(t, new Set([p.login]));
		}
	const left = new Set(users.map((p) => p.login));
	const named = new Set<string>();
	const teams: Whom[] = [];
	while (left.size > 0 && teams.length <= TEAMS) {
		let best: { team: string; score: number; adds: number } | null = null;
		for (const [team, all] of members) {
			let adds = 0;
			let others = 0;
			for (const login of all) {
				if (left.has(login)) adds++;
				else if (!named.has(login)) others++;
			}
			if (adds === 0) continue;
			const score = (others + 1) / adds;
			if (!best || score < best.score || (score === best.score && adds > best.adds)) best = { team, score, adds };
		}
		if (!best) break;
		for (const login of members.get(best.team)!) {
			named.add(login);
			left.delete(login);
		}
		teams.push({ kind: 'team', id: best.team });
	}
	const byTeams = left.size === 0 && teams.length <= TEAMS ? [...named].filter((l) => about.has(l)).length : Infinity;
	return byTeams <= worth ? teams : null;
}

/** Sites in which everybody sat who used it, where they are few of those that there are. */
function sitesOf(uses: readonly Use[], ground: Ground): string[] | null {
	const found = new Set<string>();
	const known = new Map<string | null, string | undefined>();
	for (const { address } of uses) {
		if (!known.has(address))
			known.set(
				address,
				address === null
					? undefined
					: [...ground.sites].find(([, ranges]) => ranges.some((r) => inRange(address, r)))?.[0]
			);
		const site = known.get(address);
		if (site === undefined) return null;
		found.add(site);
	}
	return found.size <= SITES && found.size <= ground.sites.size / 2 ? [...found].sort() : null;
}

/** What was reached, where the rule is about more: services of those that it has, categories of the web. */
function lessOf(rule: AccessRule, uses: readonly Use[], ground: Ground): What[] | null {
	const services = new Set<string>();
	const categories = new Set<string>();
	for (const { target } of uses) {
		// What passes a session is few enough as it is.
		if (target.kind === 'channel') return null;
		const id = target.kind === 'service' ? target.id : ground.catalogue.categoryOf(target.host);
		if (id === null) return null;
		(target.kind === 'service' ? services : categories).add(id);
	}
	if (services.size + categories.size > KINDS) return null;
	const used: What[] = [
		...[...services].sort().map((id): What => ({ kind: 'service', id })),
		...[...categories].sort().map((id): What => ({ kind: 'category', id }))
	];
	if (rule.what.some((w) => w.kind === 'site')) return null;
	const groups = new Map<string, string[]>();
	for (const s of ground.services) if (s.group !== null) gather(groups, s.group, s.id);
	const wide =
		rule.what.length === 0 ||
		rule.what.some(
			(w) =>
				w.kind === 'web' ||
				w.kind === 'services' ||
				(w.kind === 'group' && (groups.get(w.id) ?? []).some((id) => !services.has(id))) ||
				(w.kind === 'service' && !services.has(w.id)) ||
				(w.kind === 'category' && !categories.has(w.id))
		);
	// Of everything, the web and groups there is more than can be said one by one.
	const said =
		rule.what.length > 0 && rule.what.every((w) => w.kind === 'service' || w.kind === 'category')
			? rule.what.length
			: Infinity;
	return wide && used.length <= said * WORTH ? used : null;
}
