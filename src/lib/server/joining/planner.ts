import * as v from 'valibot';
import { checksFor, SITE_CHECK_WORDS, type SiteResult } from '$lib/core/network/site-checks';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, FOREVER, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, one, setting, type Db } from '../db';
import { asOf } from '../db/intervals';
import { handOutTime, linesAt, packedSize, THICK } from '../images';
import { newestOf } from '$lib/core/images/follow';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { nameOfSite } from '../network';
import { answeredProvider, checkJoining, type Joining } from './joinings';

const joiningSchema = v.strictObject({
	joining: v.pipe(v.number('Say which joining.'), v.integer('Say which joining.'))
});

const checkFacts = (results: SiteResult[]): { blocks: Fact[]; warnings: Fact[]; reasons: Fact[] } => {
	const fact = (r: SiteResult): Fact => ({
		words: `${SITE_CHECK_WORDS[r.name].asks} ${r.saw}`,
		side: r.ok === null ? undefined : r.ok ? 'for' : 'against',
		source: 'check'
	});
	const failing = results.filter((r) => r.ok === false);
	// Without these nothing can be asked of a site at all: the others block what needs them, later.
	const vital = checksFor('machines');
	return {
		blocks: failing.filter((r) => vital.includes(r.name)).map(fact),
		warnings: failing.filter((r) => !vital.includes(r.name)).map(fact),
		reasons: results.filter((r) => r.ok !== false).map(fact)
	};
};

const signedBy = (j: Joining): Fact => ({
	words: j.certificate!.confirmedBy
		? `certificate ${j.certificate!.fingerprint.slice(0, 23)}…, confirmed by ${j.certificate!.confirmedBy}`
		: `certificate signed by ${j.certificate!.issuer}`,
	side: 'for',
	source: 'certificate'
});

const joinSite = planKind({
	kind: 'site.join',
	words: 'Join up a site whose questions have been answered',
	area: 'sites',
	undo: 'back',
	schema: joiningSchema,
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		const { joining } = await answeredProvider(ctx, input.joining);
		if (joining.site !== null)
			throw new InputProblem([{ field: 'joining', words: `${joining.site} is joined up already: renew it instead.` }]);
		const id = joining.siteId!;
		if (one(db, 'SELECT 1 FROM sites WHERE id = ?', [id]))
			throw new InputProblem([{ field: 'joining', words: `${id} has been joined up meanwhile.` }]);
		const { hosts, volumes } = joining.account!.offer;
		const particulars = joining.particulars!;
		const thick =
			particulars.link !== null && particulars.link.to === setting(db, 'home') && particulars.link.mbit >= THICK;
		const versions = thick ? newestReleased(db, ctx.clock.now()) : [];
		const steps: StepSpec[] = [
			{
				kind: 'site.write',
				words: `Write ${particulars.name} with its hosts, volumes and networks`,
				input,
				expected: 400
			},
			...(versions.length
				? [
						stepOf(
							'site.stock',
							`Hand out the newest version of ${countWords(versions.length, 'image line')}`,
							{ site: id, versions },
							handOutTime(
								versions.reduce((n, id) => n + packedSize(db, id), 0),
								particulars.link!.mbit,
								particulars.link!.loss
							)
						)
					]
				: []),
			{ kind: 'site.check', words: 'Look whether all is right there', input: { site: id }, expected: 2 * SECOND }
		];
		const checks = checkFacts(await checkJoining(ctx, joining.id));
		const expected = steps.reduce((n, s) => n + s.expected, 0);
		return {
			title: `Join up ${particulars.name}: ${countWords(hosts.length, 'host')}, ${countWords(volumes.length, 'volume')}`,
			effects: {
				...noEffects(),
				duration: { middle: expected, ninety: Math.round(expected * 1.4) },
				cost: { before: 0, after: monthly(joining) }
			},
			warnings: [
				...checks.warnings,
				...(hosts.length === 0
					? [{ words: 'its provider shows no host to this account', side: 'against' as const }]
					: []),
				...(particulars.link === null && one(db, 'SELECT 1 FROM sites LIMIT 1')
					? [{ words: 'without a link no version can be sent there', side: 'against' as const }]
					: [])
			],
			blocks: checks.blocks,
			reasons: [
				{
					words: `${sizeWords(hosts.reduce((n, h) => n + h.memory, 0))} of memory and ${countWords(
						hosts.reduce((n, h) => n + h.cores, 0),
						'core'
					)} on ${hosts.map((h) => h.name).join(', ') || 'no host'}`,
					source: 'compute provider'
				},
				signedBy(joining),
				...(thick ? [] : [{ words: 'versions come there by shipment: its link is thin', source: 'links' }]),
				...checks.reasons
			],
			objects: [`site/${id}`, `joining/${joining.id}`],
			steps,
			undo: { kind: 'site.leave', input: { site: id } },
			undoWords: 'Yes, as long as no pool stands there.'
		};
	}
});

const renewSite = planKind({
	kind: 'site.renew',
	words: 'Change how a site is reached: its address, certificate, account or folder',
	area: 'sites',
	undo: 'never',
	schema: joiningSchema,
	async draft(ctx, input): Promise<Draft> {
		const { joining, provider } = await answeredProvider(ctx, input.joining);
		if (joining.site === null)
			throw new InputProblem([{ field: 'joining', words: 'This is a new site: join it up instead.' }]);
		const checks = checkFacts(await checkJoining(ctx, joining.id));
		return {
			title: `Change how ${nameOfSite(ctx.db, joining.site)} is reached`,
			effects: { ...noEffects(), duration: { middle: 2 * SECOND, ninety: 4 * SECOND } },
			warnings: checks.warnings,
			blocks: checks.blocks,
			reasons: [
				{ words: `${provider.account} at ${provider.address}`, source: 'joining' },
				signedBy(joining),
				...checks.reasons
			],
			objects: [`site/${joining.site}`, `joining/${joining.id}`],
			steps: [
				{ kind: 'site.reach', words: 'Keep address, accounts and certificate', input, expected: 300 },
				{
					kind: 'site.check',
					words: 'Look whether all is right there',
					input: { site: joining.site },
					expected: 2 * SECOND
				}
			],
			undo: null,
			undoWords: 'No: the secrets of before are not kept. Answer the questions once more.'
		};
	}
});

const leaveSite = planKind({
	kind: 'site.leave',
	words: 'Let go of a site that has no pools',
	area: 'sites',
	undo: 'never',
	schema: v.strictObject({ site: v.pipe(v.string(), v.nonEmpty('Choose a site.')) }),
	async draft(ctx, input): Promise<Draft> {
		const { db } = ctx;
		if (!one(db, 'SELECT 1 FROM sites WHERE id = ?', [input.site]))
			throw new InputProblem([{ field: 'site', words: `There is no site called ${input.site}.` }]);
		const name = nameOfSite(db, input.site);
		const against = (words: string): Fact => ({ words, side: 'against' });
		const pools = all<{ id: string; name: string; until: number }>(
			db,
			'SELECT id, name, max(until) AS until FROM pools WHERE site_id = ? GROUP BY id',
			[input.site]
		);
		const were = one<{ n: number }>(
			db,
			'SELECT count(DISTINCT person_id) AS n FROM (SELECT person_id FROM person_facts WHERE site_id = ?1 UNION ALL SELECT person_id FROM coming_moves WHERE site_id = ?1)',
			{ 1: input.site }
		)!.n;
		const people = one<{ n: number }>(
			db,
			`SELECT count(*) AS n FROM person_facts f WHERE f.site_id = @site AND ${asOf('person_facts f')} AND f.ends > @at`,
			{
				site: input.site,
				at: ctx.clock.now()
			}
		)!.n;
		const gateways = all<{ id: string }>(db, 'SELECT id FROM gateways WHERE site_id = ?', [input.site]);
		const boot = all<{ id: string }>(db, 'SELECT id FROM boot_servers WHERE site_id = ?', [input.site]);
		const inner = all<{ name: string }>(
			db,
			`SELECT name FROM inner_gateways WHERE site_id = @site AND ${asOf('inner_gateways')}`,
			{ site: input.site, at: ctx.clock.now() }
		);
		const announced = one<{ n: number }>(
			db,
			`SELECT count(*) AS n FROM announced_endpoints WHERE site_id = @site AND ${asOf('announced_endpoints')}`,
			{ site: input.site, at: ctx.clock.now() }
		)!.n;
		return {
			title: `Let go of ${name}`,
			effects: { ...noEffects(), duration: { middle: SECOND, ninety: 2 * SECOND } },
			warnings: [],
			blocks: [
				...pools.map((p) =>
					against(
						p.until === FOREVER
							? `pool ${p.name} stands there: remove it first`
							: `pool ${p.name} stood there, and its history speaks of the site`
					)
				),
				...(announced
					? [
							against(
								`${countWords(announced, 'endpoint is', 'endpoints are')} announced for it: take them from the list first`
							)
						]
					: []),
				...(people
					? [against(`${countWords(people, 'person works', 'people work')} there`)]
					: were
						? [
								against(
									`${countWords(were, 'person was', 'people were')} there or were to be, and their history speaks of the site`
								)
							]
						: []),
				...gateways.map((g) => against(`gateway ${g.id} stands there`)),
				...inner.map((g) => against(`inner gateway ${g.name} stands there: remove it, or say where it is now`)),
				...boot.map((b) => against(`boot server ${b.id} stands there`))
			],
			reasons: [{ words: 'what stands there is left as it is; only Sextant forgets it', source: 'compute provider' }],
			objects: [`site/${input.site}`],
			steps: [{ kind: 'site.forget', words: `Forget ${name}`, input, expected: 300 }],
			undo: null,
			undoWords: 'Not by itself: join it up again.'
		};
	}
});

/** What the hosts and volumes of a site cost a month, in cents, by the prices that were given. */
function monthly(j: Joining): number {
	const { hosts, volumes } = j.account!.offer;
	const HOURS_A_MONTH = 730;
	return Math.round(
		100 *
			(hosts.length * j.prices!.hostHour * HOURS_A_MONTH +
				volumes.reduce((n, x) => n + (x.size / 1e12) * j.prices!.volumeMonth, 0))
	);
}

/** The newest version of every line, as `line/number`. */
const newestReleased = (db: Db, now: number): string[] =>
	linesAt(db, now).flatMap((l) => {
		const last = newestOf(l.versions);
		return last ? [`${l.id}/${last.number}`] : [];
	});

export const joiningPlans = [joinSite, renewSite, leaveSite];
