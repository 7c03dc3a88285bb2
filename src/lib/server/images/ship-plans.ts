import * as v from 'valibot';
import { blocksAt } from '../network';
import { readWindow, skippedNights, waysToFit } from '$lib/core/images/shipping';
import type { ChunkIds } from '$lib/core/images/delta';
import { noEffects } from '$lib/core/plans/effects';
import { DAY, sizeWords } from '$lib/core/time/units';
import { momentWords } from '$lib/core/time/zone';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, setting } from '../db';
import { percent, whole } from '../plans/fields';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { lineId } from './build-plans';
import { dueAt, linksOf, shippingOf, wholeSites, type ShipSettings } from './shipping';
import { versionOrThrow } from './version-plans';

const shipPlan = planKind({
	kind: 'image.ship',
	words: 'Ship a version to sites over their links, in nightly windows, only what they lack',
	area: 'images',
	undo: 'never',
	schema: v.strictObject({
		line: lineId,
		number: v.pipe(v.string(), v.nonEmpty('Choose a version.')),
		sites: v.pipe(v.array(v.string()), v.minLength(1, 'Choose at least one site.')),
		from: v.optional(v.string(), '01:00'),
		until: v.optional(v.string(), '05:00'),
		/** Percent of each link. */
		share: v.optional(percent(1), 50),
		nights: v.optional(whole(1, 60, 'the nights'), 7)
	}),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const now = ctx.clock.now();
		const version = versionOrThrow(ctx, input.line, input.number);
		const sites = new Map(
			all<{ id: string; name: string; zone: string }>(db, 'SELECT id, name, time_zone AS zone FROM sites').map((s) => [
				s.id,
				s
			])
		);
		const unknown = input.sites.find((s) => !sites.has(s));
		if (unknown !== undefined)
			throw new InputProblem([{ field: 'sites', words: `There is no site called ${unknown}.` }]);
		const window = readWindow(input.from, input.until, 'Etc/UTC');
		if ('field' in window) throw new InputProblem([window]);
		const settings: ShipSettings = {
			sites: input.sites,
			from: window.from,
			until: window.until,
			share: input.share / 100,
			nights: input.nights
		};
		const until = now + input.nights * DAY;
		const { plan, windows, packed } = await shippingOf(ctx, input.line, input.number, settings, now, until);
		const whole = wholeSites(db, input.line, input.number);
		const under = dueAt(db, now);
		const name = (s: string) => sites.get(s)?.name ?? s;
		const blocks: Fact[] = [
			...blocksAt(db, input.sites, 'images', now),
			...input.sites
				.filter((s) => whole.has(s))
				.map((s): Fact => ({
					words: `${name(s)} has ${input.line} ${input.number} already`,
					side: 'against',
					source: 'image stores'
				})),
			...plan.unreachable.map((s): Fact => ({
				words: unreachableWords(ctx, s, name(s)),
				side: 'against',
				source: 'links'
			})),
			...input.sites
				.filter((s) => under.has(`${s}/${input.line}/${input.number}`))
				.map((s): Fact => ({
					words: `${input.line} ${input.number} is on its way to ${name(s)} already`,
					side: 'against',
					source: 'shipments'
				})),
			...(version.open ? [{ words: 'it is open for work by hand', side: 'against' as const }] : [])
		];
		const reasons: Fact[] = [];
		for (const leg of plan.legs) {
			const w = windows.get(leg.to)!;
			const zone = sites.get(leg.to)!.zone;
			const passes = input.sites.includes(leg.to) ? '' : ', which keeps it for those behind it,';
			if (leg.done !== null)
				reasons.push({
					words: `${name(leg.to)}${passes} has it ${momentWords(zone, leg.done)} local time: ${sizeWords(leg.bytes)} at ${rateWords(leg.rate)}`,
					side: 'for',
					about: { kind: 'site', id: leg.to },
					source: 'what its store lacks, and its link'
				});
			else
				blocks.push({
					words: `${sizeWords(leg.bytes)} do not reach ${name(leg.to)} in ${input.nights} nights, only ${sizeWords(leg.arrived)}; it would fit with ${waysToFit(
						leg,
						settings.share,
						w,
						input.nights,
						await partsOf(ctx, input.line, input.number, leg.chunks)
					).join(', or with ')}`,
					side: 'against',
					about: { kind: 'site', id: leg.to },
					source: 'its link'
				});
		}
		const skipped = input.sites.flatMap((s) =>
			skippedNights({ ...window, zone: sites.get(s)!.zone }, now, input.nights + 1).map((n) => ({ ...n, site: s }))
		);
		const bytes = plan.legs.reduce((n, l) => n + l.bytes, 0);
		const all_ = [...packed.values()].reduce((a, b) => a + b, 0);
		const last = Math.max(now, ...plan.legs.map((l) => l.done ?? until));
		return {
			title: `Ship ${input.line} ${input.number} to ${input.sites.map(name).join(', ')}`,
			effects: { ...noEffects(), bytes, duration: { middle: last - now, ninety: (last - now) * 1.1 } },
			warnings: skipped.map((s): Fact => ({
				words: `on ${s.day} the clock at ${name(s.site)} skips ${s.asked}: ${s.instead} is taken`,
				side: 'against',
				source: 'time zone'
			})),
			blocks,
			reasons: [
				...reasons,
				{
					words: `the whole version is ${sizeWords(all_)} over a link; what a site has of other versions is not sent again`,
					source: 'content chunks'
				},
				{
					words: `every night from ${input.from} to ${input.until} local time, ${input.share} % of each link; a break costs nothing that has arrived`,
					source: 'plan'
				},
				{ words: 'machines there take it only once it is whole', source: 'follow rules' }
			],
			objects: input.sites.map((s) => `ship/${s}/${input.line}/${input.number}`),
			steps: [
				{
					kind: 'image.ship',
					words: `Send what is missing, until ${momentWords(sites.get(setting(db, 'home') ?? '')?.zone ?? 'Etc/UTC', until)}`,
					input: { line: input.line, number: input.number, settings, until },
					expected: last - now
				}
			],
			undo: null,
			undoWords: 'It can be cancelled; what has arrived stays, and is not sent again.'
		};
	}
});

/** Bytes over a link that each part of a version adds to what is missing. */
async function partsOf(
	ctx: Context,
	line: string,
	number: string,
	missing: ChunkIds
): Promise<{ name: string; bytes: number }[]> {
	const digests = new Set(
		all<{ digest: string }>(ctx.db, 'SELECT digest FROM chunks WHERE id IN (SELECT value FROM json_each(?))', [
			JSON.stringify([...missing])
		]).map((c) => c.digest)
	);
	const bytes = new Map<string, number>();
	for (const c of await ctx.providers.builder.chunks(line, number))
		if (digests.delete(c.digest)) bytes.set(c.part, (bytes.get(c.part) ?? 0) + c.packed);
	return [...bytes].map(([name, n]) => ({ name, bytes: n }));
}

const rateWords = (bytes: number) => `${((bytes * 8) / 1e6).toPrecision(2)} Mbit/s`;

function unreachableWords(ctx: Context, site: string, name: string): string {
	const links = linksOf(ctx.db).filter((l) => l.a === site || l.b === site);
	const dead = links.find((l) => !(l.mbit > 0));
	return dead ? `the link to ${name} has no speed: nothing can be sent over it` : `no link leads to ${name}`;
}

export const shipPlans = [shipPlan];
