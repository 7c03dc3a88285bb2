import type { Estate, EstatePerson } from '$lib/core/estate/schema';
import { isHere } from '$lib/core/people/record';
import { folded } from '$lib/core/text/nearest';
import { DAY, FOREVER } from '$lib/core/time/units';
import { momentOf } from '$lib/core/time/zone';
import { schedule } from './agenda';
import { addPerson, announced } from './directory';
import { hash, uniform } from './random';
import type { SimPerson, World } from './state';

/** Weeks of joiners that lie behind an estate as it begins, and how far ahead the directory plans. */
const WEEKS_BEHIND = 9;
const WEEKS_AHEAD = 7;

/** The week of a moment, from Monday, counted from the first of 1970. */
const weekOf = (at: number): number => Math.floor((Math.floor(at / DAY) + 3) / 7);
/** The Monday of a week, as a day since 1970. */
const mondayOf = (week: number): number => week * 7 - 3;

/** Plans who begins, moves and ends in the weeks around the beginning; the weeks after follow one by one. */
export function beginTurnover(w: World, estate: Estate): void {
	const { begin, move, end } = estate.directory.turnover;
	if (begin + move + end === 0 || estate.directory.people.length === 0) return;
	const now = weekOf(w.now);
	for (let week = now - WEEKS_BEHIND; week <= now + WEEKS_AHEAD; week++) planWeek(w, estate, week);
	nextWeek(w, now + 1);
}

const nextWeek = (w: World, week: number): void =>
	schedule(w, Math.max(w.now + 1, mondayOf(week) * DAY), { kind: 'week', week });

/** A week has begun: the last of those that the directory looks ahead to is planned. */
export function weekBegins(w: World, estate: Estate, week: number): void {
	nextWeek(w, week + 1);
	planWeek(w, estate, week + WEEKS_AHEAD);
}

function planWeek(w: World, estate: Estate, week: number): void {
	const { begin, move, end } = estate.directory.turnover;
	const { seed } = estate.lab;
	const steady = steadyPeople(estate);
	if (steady.length === 0) return;
	const draw = (what: number, n: number) => uniform(seed, week, what, n);
	/** Somebody of whom nothing is to come, or null when a few draws find nobody. */
	const somebody = (what: number, n: number): SimPerson | null => {
		for (let k = 0; k < 8; k++) {
			const p = w.people.get(steady[hash(seed, week, what, n, k) % steady.length]!.login);
			if (p && p.begins === 0 && p.ends === FOREVER && p.moves.length === 0 && isHere(p, w.now)) return p;
		}
		return null;
	};
	/** A moment on a day of the week where somebody sits. */
	const on = (p: SimPerson, day: number, hour: number) => momentOf(p.zone, mondayOf(week) + day, hour * 60);
	const ahead = (at: number, what: number, n: number, least: number, most: number) =>
		Math.max(w.now, at - Math.round((least + draw(what, n) * (most - least)) * DAY));

	const taken = new Set([
		...estate.directory.people.map((p) => p.login),
		...w.people.keys(),
		...w.queue.flatMap((h) => (h.kind === 'person comes' ? [h.person.login] : []))
	]);
	for (let n = 0; n < begin; n++) {
		const like = somebody(1, n);
		if (!like) continue;
		const at = on(like, draw(2, n) < 0.7 ? 0 : 1 + Math.floor(draw(3, n) * 4), 8);
		// Of those who began before the lab did, nothing more is known.
		if (at <= w.now) like.begins = at;
		else {
			const other = w.people.get(steady[hash(seed, week, 4, n) % steady.length]!.login) ?? like;
			const told = ahead(at, 5, n, 5, 26);
			const person = newcomer(taken, like, other.name, at);
			if (told <= w.now) addPerson(w, estate, person);
			else schedule(w, told, { kind: 'person comes', person });
		}
	}
	for (let n = 0; n < move; n++) {
		const who = somebody(6, n);
		const like = w.people.get(steady[hash(seed, week, 7, n) % steady.length]!.login);
		if (!who || !like || (like.team === who.team && like.site === who.site)) continue;
		const at = on(who, 1 + Math.floor(draw(8, n) * 3), 7);
		if (at <= w.now) continue;
		const change = { at, team: like.team, site: like.site };
		tellAhead(w, who, change, ahead(at, 9, n, 3, 24));
		const { at: _, ...facts } = change;
		schedule(w, at, { kind: 'person changes', person: who.login, change: facts });
	}
	for (let n = 0; n < end; n++) {
		const who = somebody(10, n);
		if (!who) continue;
		const at = on(who, 4, 17);
		if (at > w.now) tellAhead(w, who, { at, ends: true }, ahead(at, 11, n, 6, 33));
	}
}

function tellAhead(w: World, who: SimPerson, change: Parameters<typeof announced>[2], told: number): void {
	const said = announced(w, who.login, change);
	if (!said) return;
	if (told <= w.now) Object.assign(who, said);
	else schedule(w, told, { kind: 'person changes', person: who.login, change: said });
}

/** Somebody new, who works as somebody else does: named by parts of the names of people who are there. */
function newcomer(taken: Set<string>, like: SimPerson, otherName: string, begins: number): EstatePerson {
	const given = like.name.split(' ').slice(0, -1).join(' ') || like.name;
	const family = otherName.split(' ').at(-1)!;
	const name = given === like.name && family === otherName ? given : `${given} ${family}`;
	const base =
		folded(`${given[0] ?? ''}${family}`)
			.replace(/[^a-z0-9]/g, '')
			.slice(0, 20) || 'newcomer';
	let login = base;
	for (let n = 2; taken.has(login); n++) login = `${base}${n}`;
	taken.add(login);
	return {
		login,
		name,
		team: like.team,
		teams: [],
		site: like.site,
		pattern: like.pattern,
		profile: 100e6,
		managed_endpoint: like.managed,
		employment: like.employment,
		manager: like.manager ?? undefined,
		language: like.language ?? undefined,
		begins
	} as EstatePerson;
}

const steadies = new WeakMap<Estate, EstatePerson[]>();

/** People of whom the file says nothing in particular: nothing that it counts on changes by the seed. */
function steadyPeople(estate: Estate): EstatePerson[] {
	let steady = steadies.get(estate);
	if (!steady) {
		const { changes, people } = estate.directory;
		const spoken = new Set([
			estate.visitor ?? '',
			...changes.map((c) => c.person),
			...estate.operators.map((o) => o.login),
			...people.flatMap((p) => (p.manager === undefined ? [] : [p.manager])),
			...estate.grants.flatMap((g) => (g.person === undefined ? [] : [g.person])),
			...estate.acts.map((a) => a.by)
		]);
		const acts = JSON.stringify(estate.acts);
		steady = people.filter(
			(p) =>
				!spoken.has(p.login) &&
				p.begins === undefined &&
				p.ends === undefined &&
				p.told === undefined &&
				!acts.includes(`"${p.login}"`)
		);
		steadies.set(estate, steady);
	}
	return steady;
}
