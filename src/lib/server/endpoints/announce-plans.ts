import * as v from 'valibot';
import {
	ADMISSION_WORDS,
	ADMISSIONS,
	LONGEST_SERIAL,
	MOST_SERIALS,
	serialProblem,
	type Admission
} from '$lib/core/endpoints/announced';
import { readWhen } from '$lib/core/people/given';
import { noEffects } from '$lib/core/plans/effects';
import { inRange, isIpv4Range, rangeEnds, readAddress } from '$lib/core/network/addresses';
import { countWords, SECOND } from '$lib/core/time/units';
import { dayWords } from '$lib/core/time/zone';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one, setting, type Db } from '../db';
import { CALLED_AT, lookAtCalling } from '../network';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { admissionsAt, announcedAt, rangesOf } from './announced';
import { endpointsAt, NOWHERE } from './queries';
import { announcedThen } from './steps';
import { called } from './work-plans';

const against = (words: string, source = 'endpoints'): Fact => ({ words, side: 'against', source });
const quick = { middle: SECOND, ninety: 2 * SECOND };
/** So many that are wrong are said one by one. */
const SAID = 20;

const serials = v.pipe(
	v.array(v.pipe(v.string(), v.trim(), v.maxLength(4 * LONGEST_SERIAL))),
	v.minLength(1, 'Write serial numbers, one on a line.'),
	v.maxLength(MOST_SERIALS, `At most ${MOST_SERIALS} at once.`)
);
const siteOrNone = v.nullable(v.pipe(v.string(), v.maxLength(100)));

const siteOf = (db: Db, id: string) =>
	one<{ name: string; zone: string }>(db, 'SELECT name, time_zone AS zone FROM sites WHERE id = ?', [id]);

/** The words of where: a site, or anywhere. */
const forWords = (db: Db, site: string | null): string =>
	site === null ? 'any site' : (siteOf(db, site)?.name ?? site);

const announce = planKind({
	kind: 'endpoint.announce',
	words: 'Announce endpoints that are to come, by their serial numbers',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		/** Null: they may call in from anywhere. */
		site: siteOrNone,
		/** A day `2026-11-23` of the site, or a moment. */
		from: v.pipe(v.string('Write a day such as 2026-11-23.'), v.trim(), v.maxLength(40)),
		serials
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const problems: { field: string; words: string }[] = [];
		const site = input.site === null ? null : siteOf(db, input.site);
		if (site === undefined) problems.push({ field: 'site', words: `There is no site ${input.site!.slice(0, 60)}.` });
		const zone = site?.zone ?? 'Etc/UTC';
		const from = readWhen(input.from, zone, false);
		if (from === null) problems.push({ field: 'from', words: 'Write a day such as 2026-11-23.' });
		const known = new Map(announcedAt(db, now).map((a) => [a.serial, a]));
		const seen = new Set<string>();
		input.serials.forEach((serial, i) => {
			const there = known.get(serial);
			const wrong =
				serialProblem(serial) ??
				(seen.has(serial)
					? `${serial} is named twice.`
					: there
						? `${serial} is announced for ${forWords(db, there.site)} already.`
						: null);
			seen.add(serial);
			if (wrong && problems.length < SAID) problems.push({ field: `serials.${i}`, words: wrong });
		});
		if (problems.length) throw new InputProblem(problems);
		const come = endpointsAt(db, now).filter((e) => seen.has(e.serial));
		const waiting = come.filter((e) => e.branch === null);
		const way = admissionsAt(db, now).get(input.site ?? '') ?? 'rules';
		return {
			title: `Announce ${countWords(input.serials.length, 'endpoint')} for ${forWords(db, input.site)}`,
			effects: {
				...noEffects(),
				endpoints: waiting.map((e) => ({
					kind: 'endpoint' as const,
					id: String(e.id),
					name: e.name,
					how: 'waits; the rules are asked at its next start'
				})),
				duration: quick
			},
			warnings: [],
			blocks: [],
			reasons: [
				{
					words: `they are expected from ${dayWords(zone, from!)} on; a day later Today says who stays away`,
					source: 'endpoints'
				},
				{
					words:
						way === 'list'
							? 'only announced ones are let in there, by the rules'
							: way === 'hand'
								? 'each waits there until somebody lets it in'
								: 'the rules let in there whatever calls, announced or not',
					source: 'endpoints'
				},
				...(come.length
					? [
							{
								words: `${countWords(come.length, 'of them has', 'of them have')} called in already`,
								source: 'endpoints'
							}
						]
					: [])
			],
			objects: input.site === null ? ['endpoints/announced'] : [`site/${input.site}`],
			steps: [
				stepOf(
					'endpoint.announce',
					'Write their serial numbers down',
					{ site: input.site, from: from!, serials: input.serials },
					200
				)
			],
			undo: { kind: 'endpoint.withdraw', input: { serials: input.serials } },
			undoWords: 'Yes: they are announced no more. Those that have called in stay where they stand.'
		};
	}
});

/** One by its serial number, more by how many. */
const named = (serials: readonly string[]): string => called(serials.map((name) => ({ name })));

/** Those of some serial numbers that are announced. */
const known = (db: Db, given: readonly string[], now: number) => {
	const there = new Map(announcedAt(db, now).map((a) => [a.serial, a]));
	return [...new Set(given)].flatMap((s) => there.get(s) ?? []);
};

const withdraw = planKind({
	kind: 'endpoint.withdraw',
	words: 'Take serial numbers from the list of announced endpoints',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ serials }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const rows = known(db, input.serials, now);
		const gone = rows.map((r) => r.serial);
		return {
			title: `Announce ${named(gone)} no more`,
			effects: { ...noEffects(), duration: quick },
			warnings: [],
			blocks: rows.length ? [] : [against('none of them is announced')],
			reasons: [
				{
					words: `${countWords(rows.filter((r) => r.state === 'called in').length, 'of them has', 'of them have')} called in: what has stays where it stands`,
					source: 'endpoints'
				}
			],
			objects: ['endpoints/announced'],
			steps: [stepOf('endpoint.withdraw', 'Take them from the list', { serials: gone }, 200)],
			undo: { kind: 'endpoint.announce-again', input: { serials: gone, then: now - 1 } },
			undoWords: 'Yes: they are announced again as they were.'
		};
	}
});

const announceAgain = planKind({
	kind: 'endpoint.announce-again',
	words: 'Announce endpoints again, as they were announced before',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ serials, then: v.pipe(v.number(), v.safeInteger(), v.minValue(0)) }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const there = new Set(known(db, input.serials, now).map((r) => r.serial));
		const rows = announcedThen(db, input.serials, input.then).filter((r) => !there.has(r.serial));
		const back = rows.map((r) => r.serial);
		return {
			title: `Announce ${named(back)} again`,
			effects: { ...noEffects(), duration: quick },
			warnings: [],
			blocks: back.length ? [] : [against('none of them was announced then and is not now')],
			reasons: [{ words: 'for the sites and from the days as they were', source: 'endpoints' }],
			objects: ['endpoints/announced'],
			steps: [stepOf('endpoint.announce-again', 'Write them down', { serials: back, then: input.then }, 200)],
			undo: { kind: 'endpoint.withdraw', input: { serials: back } },
			undoWords: 'Yes: they are announced no more.'
		};
	}
});

const setAdmission = planKind({
	kind: 'endpoint.admit',
	words: 'Say how endpoints that call in for the first time from a site are let in',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		/** Null: those whose address belongs to no site. */
		site: siteOrNone,
		way: v.picklist(ADMISSIONS, 'Choose rules, list or hand.')
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const site = input.site === null ? null : siteOf(db, input.site);
		if (site === undefined)
			throw new InputProblem([{ field: 'site', words: `There is no site ${input.site!.slice(0, 60)}.` }]);
		const before: Admission = admissionsAt(db, now).get(input.site ?? '') ?? 'rules';
		const waiting = endpointsAt(db, now, NOWHERE).filter((e) => e.site === input.site);
		const from = site === null ? 'from addresses of no site' : `at ${site.name}`;
		return {
			title: `Let new endpoints ${from} in ${ADMISSION_WORDS[input.way]}`,
			effects: {
				...noEffects(),
				endpoints: waiting.map((e) => ({
					kind: 'endpoint' as const,
					id: String(e.id),
					name: e.name,
					how: input.way === 'hand' ? 'waits until somebody lets it in' : 'waits; asked anew at its next start'
				})),
				duration: quick
			},
			warnings: [],
			blocks: input.way === before ? [against('it is so already')] : [],
			reasons: [
				{ words: `until now ${ADMISSION_WORDS[before]}`, source: 'endpoints' },
				{
					words: 'what stands in a branch stays there: it is asked of those that come for the first time',
					source: 'endpoints'
				}
			],
			objects: input.site === null ? ['endpoints/announced'] : [`site/${input.site}`],
			steps: [stepOf('endpoint.admit', 'Write it down', { site: input.site ?? '', way: input.way }, 100)],
			undo: { kind: 'endpoint.admit', input: { site: input.site, way: before } },
			undoWords: 'Yes: as before.'
		};
	}
});

/** Networks that one site may have devices in. */
const MOST_RANGES = 64;

const setRanges = planKind({
	kind: 'endpoint.networks',
	words: 'Say in which networks of a site endpoints have their addresses: by them it is told which site one is at',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		site: v.pipe(v.string('Choose a site.'), v.maxLength(100)),
		/** Ranges such as `10.21.4.0/22`; none: no endpoint is at this site. */
		ranges: v.pipe(
			v.array(v.pipe(v.string(), v.trim(), v.maxLength(40))),
			v.maxLength(MOST_RANGES, `At most ${MOST_RANGES} networks.`)
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const problems: { field: string; words: string }[] = [];
		const site = siteOf(db, input.site);
		if (!site) problems.push({ field: 'site', words: `There is no site ${input.site.slice(0, 60)}.` });
		const others = all<{ site: string; range: string }>(
			db,
			'SELECT site_id AS site, range FROM endpoint_ranges WHERE site_id <> ?',
			[input.site]
		);
		const taken = others.map((o) => ({ words: `${o.range} of ${forWords(db, o.site)}`, ...rangeEnds(o.range) }));
		input.ranges.forEach((range, i) => {
			const field = `ranges.${i}`;
			if (!isIpv4Range(range))
				return void problems.push({ field, words: `${range} is no range such as 10.21.4.0/22.` });
			const ends = rangeEnds(range);
			const other = taken.find((t) => ends.first <= t.last && t.first <= ends.last);
			if (other) problems.push({ field, words: `${range} has addresses in common with ${other.words}.` });
			taken.push({ words: range, ...ends });
		});
		if (problems.length) throw new InputProblem(problems);
		const before = rangesOf(db, input.site);
		const within = (ranges: readonly string[], address: string) => ranges.some((r) => inRange(address, r));
		const moved = endpointsAt(db, now).filter(
			(e) => e.address !== '' && within(before, e.address) !== within(input.ranges, e.address)
		);
		return {
			title: input.ranges.length
				? `Endpoints at ${site!.name} have addresses in ${input.ranges.join(', ')}`
				: `No endpoint is at ${site!.name}`,
			effects: {
				...noEffects(),
				endpoints: moved.map((e) => ({
					kind: 'endpoint' as const,
					id: String(e.id),
					name: e.name,
					how: `${within(input.ranges, e.address) ? `at ${site!.name}` : 'at no site'} from its next start on`
				})),
				duration: quick
			},
			warnings: [],
			blocks: [...before].sort().join() === [...input.ranges].sort().join() ? [against('it is so already')] : [],
			reasons: [
				{ words: `until now ${before.join(', ') || 'none'}`, source: 'endpoints' },
				{ words: 'which site an endpoint is at is told by its address when it starts', source: 'endpoints' }
			],
			objects: [`site/${input.site}`],
			steps: [stepOf('endpoint.networks', 'Write them down', { site: input.site, ranges: input.ranges }, 100)],
			undo: { kind: 'endpoint.networks', input: { site: input.site, ranges: before } },
			undoWords: 'Yes: as before. What has started meanwhile is told apart again when it starts.'
		};
	}
});

/** What the networks of sites tell devices, where that is not a new address: said before the address is set. */
async function toldElsewhere(ctx: Context, wanted: string): Promise<Fact[]> {
	const sites = all<{ id: string; name: string }>(
		ctx.db,
		'SELECT id, name FROM sites s WHERE EXISTS (SELECT 1 FROM endpoint_ranges r WHERE r.site_id = s.id) ORDER BY position'
	);
	const seen = await Promise.all(sites.map(async (s) => ({ ...s, check: await lookAtCalling(ctx, s.id, wanted) })));
	return seen.flatMap((s) =>
		s.check && !s.check.ok
			? [{ ...against(`${s.name}: ${s.check.saw}`, 'check'), about: { kind: 'site', id: s.id, name: s.name } }]
			: []
	);
}

const calledAt = planKind({
	kind: 'endpoint.called-at',
	words: 'Say where endpoints are to call: what the networks of sites tell them is held against it',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		/** `host:port`; empty: it is not looked at. */
		address: v.pipe(
			v.string('Write a host and a port such as sextant.kept.example:8443.'),
			v.trim(),
			v.maxLength(260, 'At most 260 characters.'),
			v.check((t) => t === '' || readAddress(t) !== null, 'Write a host and a port such as sextant.kept.example:8443.')
		)
	}),
	async draft(ctx, { address }): Promise<Draft> {
		const before = setting(ctx.db, CALLED_AT) ?? '';
		return {
			title: address === '' ? 'Look no more at where endpoints call' : `Let endpoints call ${address}`,
			effects: { ...noEffects(), duration: quick },
			warnings: address === '' ? [] : await toldElsewhere(ctx, address),
			blocks: address === before ? [against('it is so already', 'settings')] : [],
			reasons: [{ words: `until now ${before || 'nothing was said'}`, source: 'settings' }],
			objects: ['settings/endpoints'],
			steps: [stepOf('endpoint.called-at', 'Write it down', { address }, 100)],
			undo: { kind: 'endpoint.called-at', input: { address: before } },
			undoWords: 'Yes: as before.'
		};
	}
});

export const announcePlans = [announce, withdraw, announceAgain, setAdmission, setRanges, calledAt];
