import * as v from 'valibot';
import type { Term } from '$lib/core/scope/scope';
import { DAY, HOUR } from '$lib/core/time/units';
import { offsetAt } from '$lib/core/time/zone';
import { all, one, type Db } from '../db';
import { everybody, teamsByName } from '../directory';
import { bytes, moment, share, span, text, whole } from '../lists/columns';
import { reportSource, type SourceAsk } from '../lists/sources';
import { InputProblem } from '../plans/kind';
import { servicesAt } from '../reach';
import type { Flow } from '../providers';
import { boundOf, firstHour, partsOf, peopleOf, targetsOf, totalsOf, type Asked } from './queries';
import { aboutFew, FEW, namesAt, speaksOfOne } from './view';
import { rowsOf } from './write';

/** What a report of activity is made of: the days up to a moment, and the people of the scope. */
function askedOf(db: Db, { scope, at, days }: SourceAsk): { asked: Asked; count: number; left: Term[] } {
	const { people, count, left } = peopleOf(db, scope, at);
	return { asked: { at, days, people }, count, left };
}

/** What of rows is asked for. */
const cut = (rows: Record<string, unknown>[], { offset, limit }: SourceAsk, left: Term[]) => ({
	rows: rows.slice(offset, offset + limit),
	total: rows.length,
	left
});

/** Columns that say whose a row is. */
const WHOSE = { login: text, name: text, team: text, site: text };

/** Who somebody is at a moment, by their number, with what their team is called; null of whoever is not there any more. */
function namedAt(db: Db, at: number) {
	const people = new Map(everybody(db, at).map((p) => [p.id, p]));
	const teams = new Map(teamsByName(db).map((t) => [t.id, t.name]));
	return (id: number) => {
		const p = people.get(id);
		return p
			? { whose: { login: p.login, name: p.name, team: teams.get(p.team) ?? p.team, site: p.site }, zone: p.zone }
			: null;
	};
}

const OTHERS = `teams of which fewer than ${FEW} people were decided about`;

const refusals = reportSource({
	name: 'refusals',
	words: `What rules refused, by rule and team; of fewer than ${FEW} people nothing is told`,
	overDays: true,
	asksWhy: false,
	need: { area: 'activity', level: 'read' },
	row: v.strictObject({
		number: v.nullable(whole),
		rule: text,
		team: text,
		decisions: whole,
		refused: whole,
		people: whole
	}),
	page(db, ask) {
		const { asked, count, left } = askedOf(db, ask);
		if (asked.people && (speaksOfOne(ask.scope) || count < FEW)) return cut([], ask, left);
		const named = namedAt(db, ask.at);
		const hidden = aboutFew(db, ask.at);
		const names = namesAt(db, ask.at);
		const sums = all<{ rule: string; person: number; decisions: number; refused: number }>(
			db,
			`${partsOf(asked)} SELECT coalesce(r.rule, '') AS rule, p.person_id AS person, sum(p.decisions) AS decisions,
			 sum(CASE WHEN p.through = 0 THEN p.decisions ELSE 0 END) AS refused
			 FROM part p LEFT JOIN reached_rules r ON r.id = p.rule_id WHERE p.person_id > 0 GROUP BY p.rule_id, p.person_id`,
			boundOf(db, asked)
		);
		interface Sum {
			rule: string;
			team: string;
			decisions: number;
			refused: number;
			people: number;
		}
		const add = (into: Map<string, Sum>, s: Sum) => {
			const key = JSON.stringify([s.rule, s.team]);
			const known = into.get(key);
			if (!known) return void into.set(key, { ...s });
			known.decisions += s.decisions;
			known.refused += s.refused;
			known.people += s.people;
		};
		const byTeam = new Map<string, Sum>();
		for (const s of sums)
			if (!hidden.has(s.rule)) {
				add(byTeam, { ...s, team: named(s.person)?.whose.team ?? 'people who have left', people: 1 });
			}
		const told = new Map<string, Sum>();
		for (const s of byTeam.values()) add(told, s.people < FEW ? { ...s, team: OTHERS } : s);
		const rows = [...told.values()]
			.filter((s) => s.people >= FEW && s.refused > 0)
			.sort((a, b) => b.refused - a.refused)
			.map(({ rule, ...s }) => {
				const { number, name } = names.rule(rule);
				return { number, rule: name, ...s };
			});
		return cut(rows, ask, left);
	}
});

/** Days before those asked about that tell which hours are usual; of fewer with anything nothing is said. */
const USUAL_DAYS = 28;
const LEAST_DAYS = 7;
/** An hour in which somebody did anything on less than this share of their days is unusual for them. */
const RARE = 0.1;
/** Hours that are gone through. */
const MOST_HOURS = 1_000_000;

const unusualHours = reportSource({
	name: 'unusual-hours',
	words: 'Hours of the day at which somebody reached something and hardly ever does',
	overDays: true,
	asksWhy: true,
	need: { area: 'activity', level: 'read' },
	row: v.strictObject({
		...WHOSE,
		at: moment,
		/** On how much of their days they did anything at that hour, before. */
		usual: share,
		/** Their days with anything, before. */
		days: whole,
		decisions: whole,
		refused: whole,
		up: bytes,
		down: bytes
	}),
	page(db, ask) {
		const { asked, left } = askedOf(db, ask);
		const named = namedAt(db, ask.at);
		const { first, hour } = boundOf(db, asked);
		const from = first * 24;
		const before = from - USUAL_DAYS * 24;
		const theirs = asked.people ? 'AND person_id IN (SELECT value FROM json_each(@people))' : '';
		const values = { before, hour, people: asked.people && JSON.stringify(asked.people) };
		const hours = one<{ n: number }>(
			db,
			`SELECT count(*) AS n FROM activity_person_hours WHERE hour >= @before AND hour < @hour AND person_id > 0 ${theirs}`,
			values
		)!.n;
		if (hours > MOST_HOURS)
			throw new InputProblem([
				{
					field: 'scope',
					words: 'That is more hours of people than one report goes through: narrow the scope, to a site or a team.'
				}
			]);
		interface Hour {
			person: number;
			hour: number;
			decisions: number;
			refused: number;
			up: number;
			down: number;
		}
		const rows: Record<string, unknown>[] = [];
		let who = 0;
		let known: Hour[] = [];
		const judge = () => {
			const p = named(who);
			if (!p || known.length === 0) return;
			const local = (h: Hour) => h.hour * HOUR + offsetAt(p.zone, h.hour * HOUR);
			const ofDay = (h: Hour) => Math.floor((local(h) % DAY) / HOUR);
			const days = new Set<number>();
			const onHour = new Map<number, Set<number>>();
			for (const h of known) {
				if (h.hour >= from) continue;
				const day = Math.floor(local(h) / DAY);
				days.add(day);
				onHour.set(ofDay(h), (onHour.get(ofDay(h)) ?? new Set()).add(day));
			}
			if (days.size < LEAST_DAYS) return;
			for (const h of known) {
				if (h.hour < from) continue;
				const usual = (onHour.get(ofDay(h))?.size ?? 0) / days.size;
				if (usual < RARE)
					rows.push({
						...p.whose,
						at: h.hour * HOUR,
						usual,
						days: days.size,
						decisions: h.decisions,
						refused: h.refused,
						up: h.up,
						down: h.down
					});
			}
		};
		for (const h of all<Hour>(
			db,
			`SELECT person_id AS person, hour, decisions, refused, up, down FROM activity_person_hours
			 WHERE hour >= @before AND hour < @hour AND person_id > 0 ${theirs} ORDER BY person_id, hour`,
			values
		)) {
			if (h.person !== who) {
				judge();
				who = h.person;
				known = [];
			}
			known.push(h);
		}
		judge();
		rows.sort((a, b) => (a.usual as number) - (b.usual as number) || (b.up as number) - (a.up as number));
		return cut(rows, ask, left);
	}
});

/** So many transfers are looked at, the largest. */
const TRANSFERS = 10_000;

const transfers = reportSource({
	name: 'transfers',
	words: 'What somebody moved to and from something on a day, the most first',
	overDays: true,
	asksWhy: true,
	need: { area: 'activity', level: 'read' },
	row: v.strictObject({
		...WHOSE,
		kind: v.picklist(['site', 'service', 'channel']),
		target: text,
		category: v.nullable(text),
		/** The day, in UTC. */
		day: text,
		decisions: whole,
		up: bytes,
		down: bytes
	}),
	page(db, ask) {
		const { asked, left } = askedOf(db, ask);
		const named = namedAt(db, ask.at);
		const names = namesAt(db, ask.at);
		const theirs = `AND through = 1 AND person_id > 0 ${asked.people ? 'AND person_id IN (SELECT value FROM json_each(@people))' : ''}`;
		const rows = all<{
			person: number;
			login: string;
			called: string;
			kind: Flow['target']['kind'];
			target: string;
			day: number;
			decisions: number;
			up: number;
			down: number;
		}>(
			db,
			`SELECT s.person_id AS person, pe.login, pe.name AS called, t.kind, t.name AS target, s.day, s.decisions, s.up, s.down FROM (
				SELECT day, target_id, person_id, sum(decisions) AS decisions, sum(up) AS up, sum(down) AS down FROM (
					SELECT day, target_id, person_id, decisions, up, down FROM activity_days WHERE day >= @first AND day <= @whole ${theirs}
					UNION ALL ${rowsOf('hour / 24, target_id, person_id, decisions, up, down', `hour >= @single AND hour <= @hour AND ended <= @at ${theirs}`)})
				GROUP BY day, target_id, person_id HAVING sum(up) + sum(down) > 0 ORDER BY sum(up) + sum(down) DESC LIMIT ${TRANSFERS}) s
			 JOIN reached_targets t ON t.id = s.target_id JOIN people pe ON pe.id = s.person_id ORDER BY s.up + s.down DESC, s.day, s.person_id, t.name`,
			boundOf(db, asked)
		).map(({ person, login, called, kind, target, day, ...r }) => {
			const { name, category } = names.target(kind, target);
			return {
				...r,
				...(named(person)?.whose ?? { login, name: called, team: '', site: '' }),
				kind,
				target: name,
				category,
				day: new Date(day * DAY).toISOString().slice(0, 10)
			};
		});
		return cut(rows, ask, left);
	}
});

const unusedServices = reportSource({
	name: 'unused-services',
	words: 'Private services that nobody reached',
	overDays: true,
	asksWhy: false,
	need: { area: 'access', level: 'read' },
	row: v.strictObject({
		id: text,
		name: text,
		group: v.nullable(text),
		hosts: v.array(text),
		ports: v.array(text),
		/** When it was reached last, to the day, as far as that is known; null: not at all. */
		last: v.nullable(moment),
		/** Decisions of these days that let nobody through. */
		refused: whole,
		/** For how long of these days it is known what was reached, and the service has been there. */
		known: span
	}),
	page(db, ask) {
		const { asked, count, left } = askedOf(db, ask);
		// What single people never reach tells what they do.
		if (asked.people && (speaksOfOne(ask.scope) || count < FEW)) return cut([], ask, left);
		const sums = new Map(
			targetsOf(db, totalsOf(db, asked)).flatMap((t) => (t.kind === 'service' ? [[t.target, t]] : []))
		);
		const last = new Map(
			all<{ target: string; day: number }>(
				db,
				`SELECT t.name AS target, max(d.day) AS day FROM activity_days d JOIN reached_targets t ON t.id = d.target_id
				 WHERE t.kind = 'service' AND d.through = 1 AND d.day <= @day GROUP BY d.target_id`,
				{ day: Math.floor(ask.at / DAY) }
			).map((r) => [r.target, r.day * DAY])
		);
		const first = firstHour(db);
		const from = Math.max(ask.at - ask.days * DAY, first === null ? ask.at : first * HOUR);
		const rows = servicesAt(db, ask.at).flatMap((s) => {
			const sum = sums.get(s.id);
			if (sum && sum.decisions > sum.refused) return [];
			return [
				{
					id: s.id,
					name: s.name,
					group: s.group,
					hosts: s.hosts,
					ports: s.ports,
					last: last.get(s.id) ?? null,
					refused: sum?.refused ?? 0,
					known: Math.max(0, ask.at - Math.max(from, s.since))
				}
			];
		});
		return cut(rows, ask, left);
	}
});

export const activitySources = [refusals, unusualHours, transfers, unusedServices];
