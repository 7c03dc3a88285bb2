import {
	amountStep,
	countStep,
	judge,
	UNUSUAL,
	type Aspect,
	type Compared,
	type Share
} from '$lib/core/activity/unusual';
import { isRange, rangeFinder } from '$lib/core/network/addresses';
import { countWords, DAY, HOUR, MINUTE, numberWords, sizeWords } from '$lib/core/time/units';
import { offsetAt } from '$lib/core/time/zone';
import { all, allColumns, one, putSetting, run, setting, type Db } from '../db';
import { insertRow } from '../db/rows';
import { everybody, type DirectoryPerson } from '../directory';
import { rangesAt } from '../reach';
import { rolledUpTo } from './write';

/** The last hour that was compared with what is usual, counted from 1970. */
const JUDGED = 'activity judged';
/** Hours that are gone through at a time, and people of them, so that whatever else the engine does comes to its turn; and written at a time. */
const AT_ONCE = 6;
const PEOPLE_AT_ONCE = 10_000;
const WRITTEN_AT_ONCE = 1000;
/** Of somebody who was seen on fewer days nothing is usual yet. */
const LEAST_DAYS = 7;
/** Of fewer people than this nobody is a peer: everybody is, then. */
const LEAST_PEERS = 8;
/** What is long ago counts less: on so many days everything that is known of somebody is halved. */
const HALVED_AT = 60;
/** What goes on is not found again for so many hours. */
const AGAIN = 12;
/** Hours that ended longer ago are learnt from alone, ms. */
const LATE = 2 * DAY;
/** Hours of people that are written down of one hour at most, the most surprising ones. */
const MOST = 50;
const ELSEWHERE = 'elsewhere';
/** What so many of a team do in the same hour, and such a share of those who did anything, has a cause of its own. */
const TOGETHER = 4;
const TOGETHER_SHARE = 0.1;

/** What somebody did in an hour. */
interface HourOf {
	person: number;
	places: string[];
	devices: string[];
	moved: number;
	refused: number;
}

/** Aspects of which hours are counted, not days. */
const inHours = (aspect: Aspect): boolean => aspect === 'amount' || aspect === 'refusals';

/** Times by what they are of. */
type Habits = Map<string, number>;
const keyOf = (what: string, value: string) => `${what} ${value}`;

/**
 * Compares hours that were summed up with what is usual for whoever they are of, then learns from them. Whoever else writes gets in between:
 * what was learnt of an hour is not learnt twice, so that one which was broken off is simply gone through again.
 */
export function judgeHours(db: Db, now: number): void {
	const rolled = rolledUpTo(db);
	if (rolled === null) return;
	const judged = Number(setting(db, JUDGED) ?? 0);
	const hours = all<{ hour: number }>(
		db,
		'SELECT DISTINCT hour FROM activity WHERE hour > ? AND hour <= ? ORDER BY hour LIMIT ?',
		[judged, rolled, AT_ONCE]
	);
	if (hours.length === 0) return;
	const placeOf = places(db);
	let gone = 0;
	for (const { hour } of hours) {
		if (gone > PEOPLE_AT_ONCE) return;
		gone += judgeHour(db, hour, now, placeOf);
	}
}

/** One of them. Returns of how many people it was. */
function judgeHour(db: Db, hour: number, now: number, placeOf: (address: string) => string): number {
	const people = new Map(everybody(db, (hour + 1) * HOUR - 1).map((p) => [p.id, p]));
	const did = hourOf(db, hour, placeOf).filter((h) => people.has(h.person));
	const peers = peersOf(db, people);
	const many = manyOf(did, hour, people);
	const days = daysOf(
		db,
		did.map((h) => h.person)
	);
	// What was told late, or long ago, is learnt from and wakes nobody; nor does somebody of whom too little is known.
	const found =
		(hour + 1) * HOUR > now - LATE
			? did
					.filter((h) => (days.get(h.person) ?? 0) >= LEAST_DAYS)
					.flatMap((h) => judgeOne(db, h, hour, people.get(h.person)!, ownHabits(db, h.person), peers, many))
					.sort((a, b) => b.bits - a.bits)
					.slice(0, MOST)
			: [];
	for (let from = 0; from < did.length; from += WRITTEN_AT_ONCE)
		db.transaction(() => {
			for (const h of did.slice(from, from + WRITTEN_AT_ONCE)) {
				learn(db, h, hour, people.get(h.person)!);
				if ((days.get(h.person) ?? 0) >= HALVED_AT) halve(db, h.person);
			}
		}).immediate();
	db.transaction(() => {
		for (const f of found)
			insertRow(db, 'unusual_activity', {
				person_id: f.person,
				hour,
				bits: f.bits,
				aspects: JSON.stringify(f.aspects),
				found_at: now
			});
		putSetting(db, JUDGED, String(hour));
	}).immediate();
	return did.length;
}

/** The site that an address is of, or elsewhere. */
function places(db: Db): (address: string) => string {
	const ranges = rangesAt(db).filter((r) => isRange(r.range));
	const within = rangeFinder(ranges.map((r) => r.range));
	const known = new Map<string, string>();
	return (address) => {
		let place = known.get(address);
		if (place === undefined) known.set(address, (place = ranges[within(address)[0] ?? -1]?.site ?? ELSEWHERE));
		return place;
	};
}

function hourOf(db: Db, hour: number, placeOf: (address: string) => string): HourOf[] {
	const found = new Map<number, HourOf>();
	for (const r of all<{ person: number; address: string; endpoint: number | null; moved: number; refused: number }>(
		db,
		`SELECT a.person_id AS person, w.address, a.endpoint_id AS endpoint, sum(a.down + a.up) AS moved, sum(CASE WHEN a.through = 0 THEN a.decisions ELSE 0 END) AS refused
		 FROM activity a JOIN reached_from w ON w.id = a.from_id WHERE a.hour = ? AND a.person_id > 0 GROUP BY a.person_id, a.from_id, a.endpoint_id`,
		[hour]
	)) {
		let of = found.get(r.person);
		if (!of) found.set(r.person, (of = { person: r.person, places: [], devices: [], moved: 0, refused: 0 }));
		const place = placeOf(r.address);
		if (!of.places.includes(place)) of.places.push(place);
		const device = String(r.endpoint ?? 0);
		if (!of.devices.includes(device)) of.devices.push(device);
		of.moved += r.moved;
		of.refused += r.refused;
	}
	return [...found.values()];
}

const two = (n: number) => String(n).padStart(2, '0');

/** The local day and hour of day of somebody, at an hour, and what the clock shows as it begins: in some zones no full hour. */
function localOf(hour: number, zone: string): { day: number; hour: string; clock: string } {
	const local = hour * HOUR + offsetAt(zone, hour * HOUR);
	const ofDay = Math.floor((local % DAY) / HOUR);
	return {
		day: Math.floor(local / DAY),
		hour: two(ofDay),
		clock: `${two(ofDay)}:${two(Math.floor((local % HOUR) / MINUTE))}`
	};
}

/** What is alike of an hour: its hour of day, places, devices, and how much. */
const valuesOf = (h: HourOf, local: { hour: string }): [aspect: Aspect, value: string][] => [
	['hour', local.hour],
	...h.places.map((value): [Aspect, string] => ['place', value]),
	...h.devices.map((value): [Aspect, string] => ['device', value]),
	['amount', String(amountStep(h.moved))],
	['refusals', String(countStep(h.refused))]
];

/**
 * What so many of a team did in one hour that it has a cause of its own, whatever it is: they moved house, a service was shut, a release was
 * fetched. It is not unlike any one of them.
 */
function manyOf(
	did: readonly HourOf[],
	hour: number,
	people: ReadonlyMap<number, DirectoryPerson>
): (p: DirectoryPerson, aspect: Aspect, value: string) => boolean {
	const counts = new Map<string, Map<string, number>>();
	for (const h of did) {
		const p = people.get(h.person)!;
		let of = counts.get(p.team);
		if (!of) counts.set(p.team, (of = new Map()));
		of.set('', (of.get('') ?? 0) + 1);
		for (const [aspect, value] of valuesOf(h, localOf(hour, p.zone)))
			of.set(keyOf(aspect, value), (of.get(keyOf(aspect, value)) ?? 0) + 1);
	}
	return (p, aspect, value) => {
		const of = counts.get(p.team) ?? new Map<string, number>();
		const alike = inHours(aspect) ? atLeast(of, aspect, Number(value)) : (of.get(keyOf(aspect, value)) ?? 0);
		return alike >= TOGETHER && alike >= TOGETHER_SHARE * (of.get('') ?? 0);
	};
}

const habitsOf = (rows: readonly { what: string; value: string; times: number }[]): Habits =>
	new Map(rows.map((r) => [keyOf(r.what, r.value), r.times]));

/** On how many days people were seen. */
const daysOf = (db: Db, people: readonly number[]): Map<number, number> =>
	new Map(
		allColumns<[person: number, times: number]>(
			db,
			`SELECT person_id, times FROM activity_habits WHERE what = 'day' AND value = '' AND person_id IN (SELECT value FROM json_each(?))`,
			[JSON.stringify(people)]
		)
	);

/** What somebody does as a rule. */
const ownHabits = (db: Db, person: number): Habits =>
	new Map(
		allColumns<[what: string, value: string, times: number]>(
			db,
			'SELECT what, value, times FROM activity_habits WHERE person_id = ?',
			[person]
		).map(([what, value, times]) => [keyOf(what, value), times])
	);

/** What the peers of somebody do: their home team, or everybody where that is too few to be like anybody. Read once for each team. */
function peersOf(db: Db, people: ReadonlyMap<number, DirectoryPerson>): (p: DirectoryPerson) => Habits {
	const teams = new Map<string, number[]>();
	for (const p of people.values()) {
		const of = teams.get(p.team);
		if (of) of.push(p.id);
		else teams.set(p.team, [p.id]);
	}
	const known = new Map<string, Habits>();
	return (p) => {
		const team = (teams.get(p.team)?.length ?? 0) < LEAST_PEERS ? '' : p.team;
		let habits = known.get(team);
		if (!habits) {
			const of = team === '' ? '' : 'WHERE person_id IN (SELECT value FROM json_each(@people))';
			const rows = all<{ what: string; value: string; times: number }>(
				db,
				`SELECT what, value, sum(times) AS times FROM activity_habits ${of} GROUP BY what, value`,
				team === '' ? {} : { people: JSON.stringify(teams.get(team)) }
			);
			known.set(team, (habits = habitsOf(rows)));
		}
		return habits;
	};
}

/** In how many hours it was as much, or more. */
const atLeast = (habits: Habits, what: string, step: number): number => {
	let times = 0;
	for (let s = Math.max(0, step); s < 64; s++) times += habits.get(keyOf(what, String(s))) ?? 0;
	return times;
};

interface Found {
	person: number;
	bits: number;
	aspects: { aspect: Aspect; bits: number; words: string }[];
}

function judgeOne(
	db: Db,
	h: HourOf,
	hour: number,
	p: DirectoryPerson,
	own: Habits,
	peersOf: (p: DirectoryPerson) => Habits,
	many: ReturnType<typeof manyOf>
): Found[] {
	const local = localOf(hour, p.zone);
	const said: Record<Aspect, string> = {
		hour: `at ${local.clock} in their zone`,
		place: '',
		device: '',
		amount: `${sizeWords(h.moved)} in an hour`,
		refusals: `refused ${countWords(h.refused, 'time')} in an hour`
	};
	const asked = valuesOf(h, local)
		.filter(([aspect, value]) => !many(p, aspect, value))
		.map(([aspect, value]) => ({ aspect, value, said: said[aspect] }));
	const share = (habits: Habits, a: { aspect: Aspect; value: string }, without: Habits | null): Share => {
		// Half of it, or more: what lies just beyond a step is not another thing.
		const count = (of: Habits) =>
			inHours(a.aspect) ? atLeast(of, a.aspect, Number(a.value) - 1) : (of.get(keyOf(a.aspect, a.value)) ?? 0);
		const all = (of: Habits) => of.get(inHours(a.aspect) ? 'hours ' : 'day ') ?? 0;
		return {
			times: Math.max(0, count(habits) - (without ? count(without) : 0)),
			of: Math.max(0, all(habits) - (without ? all(without) : 0))
		};
	};
	const compare = (peers: Habits | null): (Compared & { said: string; value: string })[] =>
		asked.map((a) => ({
			aspect: a.aspect,
			said: a.said,
			value: a.value,
			own: share(own, a, null),
			// Without their own: they are not a peer of themselves.
			peers: peers ? share(peers, a, own) : { times: 0, of: 200 }
		}));
	// Most hours are like those before, whatever peers do: theirs are read for none of these.
	if (judge(oneOfEach(compare(null))).bits < UNUSUAL) return [];
	const compared = oneOfEach(compare(peersOf(p)));
	const { bits, aspects } = judge(compared);
	if (
		bits < UNUSUAL ||
		goesOn(
			db,
			h.person,
			hour,
			aspects.map((a) => a.aspect)
		)
	)
		return [];
	return [
		{
			person: h.person,
			bits,
			aspects: aspects.map((a) => ({
				...a,
				words: wordsOf(
					db,
					compared.find((c) => c.aspect === a.aspect)!
				)
			}))
		}
	];
}

/** Of several places or devices the one that is least like them. */
function oneOfEach<C extends Compared>(compared: readonly C[]): C[] {
	const least = new Map<Aspect, C>();
	for (const c of compared) {
		const known = least.get(c.aspect);
		if (!known || c.own.times < known.own.times) least.set(c.aspect, c);
	}
	return [...least.values()];
}

/** Whether the same was found of somebody just before. */
const goesOn = (db: Db, person: number, hour: number, aspects: readonly Aspect[]): boolean =>
	all<{ aspects: string }>(db, 'SELECT aspects FROM unusual_activity WHERE person_id = ? AND hour >= ? AND hour < ?', [
		person,
		hour - AGAIN,
		hour
	]).some((f) => aspects.every((a) => f.aspects.includes(`"aspect":"${a}"`)));

function wordsOf(db: Db, c: Compared & { said: string; value: string }): string {
	const counted = inHours(c.aspect);
	const [unit, within] = counted ? ['hours', 'in'] : ['days', 'on'];
	const percent = (100 * c.peers.times) / Math.max(1, c.peers.of);
	const theirs = percent === 0 ? 'none' : percent < 0.1 ? 'less than 0.1 %' : `${percent.toFixed(1)} %`;
	const before = `${c.own.times === 0 ? 'none' : numberWords(c.own.times)} of ${numberWords(c.own.of)} ${unit}`;
	const said =
		c.aspect === 'place'
			? c.value === ELSEWHERE
				? 'from outside of all sites'
				: `from ${one<{ name: string }>(db, 'SELECT name FROM sites WHERE id = ?', [c.value])?.name ?? c.value}`
			: c.aspect === 'device'
				? c.value === '0'
					? 'on a device that is not known'
					: `on ${one<{ name: string }>(db, 'SELECT name FROM endpoint_facts WHERE endpoint_id = ? ORDER BY since DESC LIMIT 1', [c.value])?.name ?? 'another device'}`
				: c.said;
	return `${said}. Before,${counted ? ' half of that or more' : ''} ${within} ${before}; of their peers’, ${within} ${theirs}`;
}

/** Learns from an hour of somebody. */
function learn(db: Db, h: HourOf, hour: number, p: DirectoryPerson): void {
	const local = localOf(hour, p.zone);
	const rows: [what: string, value: string, last: number][] = [
		['day', '', local.day],
		['hours', '', hour],
		...valuesOf(h, local).map(([aspect, value]): [string, string, number] => [
			aspect,
			value,
			inHours(aspect) ? hour : local.day
		])
	];
	run(
		db,
		`INSERT INTO activity_habits(person_id, what, value, times, last) VALUES ${rows.map(() => '(?, ?, ?, 1, ?)').join()}
		 ON CONFLICT DO UPDATE SET times = times + (last <> excluded.last), last = excluded.last`,
		rows.flatMap((r) => [h.person, ...r])
	);
}

function halve(db: Db, person: number): void {
	run(db, 'UPDATE activity_habits SET times = times / 2 WHERE person_id = ?', [person]);
	run(db, 'DELETE FROM activity_habits WHERE person_id = ? AND times = 0', [person]);
}

/** Lets go of what was found, and of what is usual for people who were not seen, once it is kept no longer what they reached. */
export function forgetHabits(db: Db, before: number): void {
	run(db, 'DELETE FROM unusual_activity WHERE found_at < ?', [before]);
	run(
		db,
		`DELETE FROM activity_habits WHERE person_id IN (SELECT person_id FROM activity_habits WHERE what = 'day' AND value = '' AND last < ?)`,
		[Math.floor(before / DAY)]
	);
}
