import * as v from 'valibot';
import { readAddress } from '$lib/core/network/addresses';
import type { Certificate, Standing } from '$lib/core/network/certificates';
import type { SiteResult } from '$lib/core/network/site-checks';
import { FOREVER } from '$lib/core/time/units';
import { knowsZone } from '$lib/core/time/zone';
import type { Explained } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one, run, type Db } from '../db';
import { asOf, closeAt, openAt } from '../db/intervals';
import { whole } from '../plans/fields';
import { InputProblem } from '../plans/kind';
import { NotFound, parseInput } from '../plans';
import { ProviderError, type SiteOffer } from '../providers';
import {
	joinSecret,
	lookAt,
	lookAtSite,
	nameOfSite,
	networksOf,
	providerAt,
	providerSecret,
	readCertificate,
	type SiteProvider
} from '../network';
import { fromJson } from '../db/json';

/** The questions on the way to a joined site, in order: each is saved by itself, and can be answered again. */
export const JOINING_STEPS = ['address', 'certificate', 'account', 'particulars', 'directory', 'prices'] as const;
export type JoiningStep = (typeof JOINING_STEPS)[number];
/** A site that is joined keeps its name, networks and prices. */
const RENEWING: readonly JoiningStep[] = ['address', 'certificate', 'account', 'directory'];
/** The questions that are asked of a new site, or of one that is joined already. */
export const stepsOf = (site: string | null): readonly JoiningStep[] => (site === null ? JOINING_STEPS : RENEWING);

/** What has been answered so far; secrets are sealed. */
interface Answers {
	address?: { address: string };
	certificate?: { pem: string; confirmed: string | null; confirmedBy: string | null };
	account?: { account: string; secret: string; offer: SiteOffer };
	particulars?: {
		name: string;
		kind: 'office' | 'ship' | 'rented';
		timeZone: string;
		networks: string[];
		link: { to: string; mbit: number; latency_ms: number; loss: number } | null;
		planned: number;
	};
	directory?: { folder: string; account: string; secret: string };
	prices?: { hostHour: number; volumeMonth: number };
}

interface JoiningRow {
	id: number;
	by: string;
	site_id: string | null;
	since: number;
	until: number;
	outcome: string | null;
	answers: string;
}

/** A site on its way to being joined up, as it may be shown: without secrets. */
export interface Joining {
	id: number;
	by: string;
	since: number;
	until: number;
	outcome: string | null;
	/** The site that is given new answers, or null for a new one. */
	site: string | null;
	/** What the provider calls the site, once it has said so. */
	siteId: string | null;
	/** The first question that has no answer yet; null when all have one. */
	next: JoiningStep | null;
	address: string | null;
	certificate: (Certificate & { standing: Explained<Standing>; confirmedBy: string | null }) | null;
	account: { account: string; offer: SiteOffer } | null;
	particulars: NonNullable<Answers['particulars']> | null;
	directory: { folder: string; account: string } | null;
	prices: NonNullable<Answers['prices']> | null;
}

const text = (words: string) => v.pipe(v.string(words), v.trim(), v.nonEmpty(words));
const wanted = (words: string) => v.pipe(v.string(words), v.nonEmpty(words));
const money = (what: string) =>
	v.pipe(
		v.number(`Write ${what} as a number.`),
		v.minValue(0, 'Not less than nothing.'),
		v.maxValue(1e6, 'At most a million.')
	);

const SCHEMAS = {
	address: v.strictObject({
		address: v.pipe(
			v.string(),
			v.trim(),
			v.check((t) => readAddress(t) !== null, 'Write a host and a port, such as compute.example:8443.')
		)
	}),
	certificate: v.strictObject({
		/** The fingerprint that was compared with what the provider itself shows. */
		fingerprint: text('Say which fingerprint you confirm.')
	}),
	account: v.strictObject({ account: text('Write the account.'), secret: wanted('Write its secret.') }),
	particulars: v.strictObject({
		name: v.pipe(text('Give the site a name.'), v.maxLength(60, 'At most 60 characters.')),
		kind: v.picklist(['office', 'ship', 'rented'], 'Choose office, ship or rented.'),
		timeZone: v.pipe(v.string(), v.check(knowsZone, 'Write a time zone such as Europe/Oslo.')),
		networks: v.pipe(v.array(v.string()), v.nonEmpty('Choose at least one network.')),
		link: v.nullable(
			v.strictObject({
				to: text('Choose where the link leads.'),
				mbit: v.pipe(
					v.number('Write the speed as a number.'),
					v.minValue(0.001, 'A link of no speed carries nothing: more than 0.'),
					v.maxValue(1e6, 'At most a million.')
				),
				latency_ms: v.pipe(v.number('Write the delay as a number.'), v.minValue(0, 'Not less than nothing.')),
				loss: v.pipe(
					v.number('Write the loss as a share.'),
					v.minValue(0, 'Not less than nothing.'),
					v.maxValue(0.95, 'At most 95 %.')
				)
			})
		),
		planned: whole(0, 100_000, 'the machines')
	}),
	directory: v.strictObject({
		folder: text('Choose a folder.'),
		account: text('Write the account.'),
		secret: wanted('Write its secret.')
	}),
	prices: v.strictObject({ hostHour: money('the price'), volumeMonth: money('the price') })
} satisfies Record<JoiningStep, v.GenericSchema>;

/** Schemas of the answers, for the API's description. */
export const joiningSchemas: Record<JoiningStep, v.GenericSchema> = SCHEMAS;

const problem = (field: string, words: string) => new InputProblem([{ field, words }]);

/** Begins to join up a new site, or to give one that is joined new answers. Returns its number. */
export function beginJoining(ctx: Context, by: string, site: string | null): number {
	const { db } = ctx;
	const now = ctx.clock.now();
	let answers: Answers = {};
	if (site !== null) {
		if (!one(db, 'SELECT 1 FROM sites WHERE id = ?', [site])) throw problem('site', `There is no site called ${site}.`);
		const open = one<{ id: number }>(db, `SELECT id FROM joinings WHERE site_id = ? AND until = ${FOREVER}`, [site]);
		if (open) return open.id;
		const p = providerAt(db, ctx.vault, site, now);
		if (p) answers = { address: { address: p.address } };
	}
	return openAt(db, 'joinings', { by, site_id: site, answers: JSON.stringify(answers) }, now)!;
}

const rowOf = (db: Db, id: number): JoiningRow => {
	const row = one<JoiningRow>(db, 'SELECT * FROM joinings WHERE id = ?', [id]);
	if (!row) throw new NotFound(`joining ${id}`);
	return row;
};

/** Its answers, those with secrets still sealed. Throws NotFound. */
const answersOf = (db: Db, id: number): Answers => fromJson<Answers>('joinings.answers', rowOf(db, id).answers);

/** A joining with what is known of it. Throws NotFound. */
export async function joiningOf(ctx: Context, id: number): Promise<Joining> {
	const row = rowOf(ctx.db, id);
	const a = fromJson<Answers>('joinings.answers', row.answers);
	const seen =
		a.address && a.certificate
			? lookAt(
					a.certificate.pem,
					readAddress(a.address.address)!.host,
					await ctx.providers.sites.authorities(),
					a.certificate.confirmed,
					ctx.clock.now()
				)
			: null;
	const done: Record<JoiningStep, boolean> = {
		address: a.address !== undefined && seen !== null,
		certificate: seen?.standing.value === 'trusted',
		account: a.account !== undefined,
		particulars: a.particulars !== undefined,
		directory: a.directory !== undefined,
		prices: a.prices !== undefined
	};
	return {
		id: row.id,
		by: row.by,
		since: row.since,
		until: row.until,
		outcome: row.outcome,
		site: row.site_id,
		siteId: a.account?.offer.site ?? row.site_id,
		next: stepsOf(row.site_id).find((s) => !done[s]) ?? null,
		address: a.address?.address ?? null,
		certificate: seen
			? { ...seen.certificate, standing: seen.standing, confirmedBy: a.certificate!.confirmedBy }
			: null,
		account: a.account ? { account: a.account.account, offer: a.account.offer } : null,
		particulars: a.particulars ?? null,
		directory: a.directory ? { folder: a.directory.folder, account: a.directory.account } : null,
		prices: a.prices ?? null
	};
}

/** Joinings that are under way at a moment, newest first. */
export const joiningsAt = (
	db: Db,
	at: number
): { id: number; by: string; since: number; site: string | null; words: string }[] =>
	all<JoiningRow>(db, `SELECT * FROM joinings WHERE ${asOf('joinings', '?')} ORDER BY id DESC`, [at, at]).map((r) => {
		const a = fromJson<Answers>('joinings.answers', r.answers);
		return {
			id: r.id,
			by: r.by,
			since: r.since,
			site: r.site_id,
			words: a.particulars?.name ?? a.account?.offer.site ?? a.address?.address ?? r.site_id ?? 'nothing answered yet'
		};
	});

/** Ends a joining. Throws NotFound when it is none, or over already. */
export function endJoining(db: Db, id: number, outcome: string, now: number): void {
	if (rowOf(db, id).until !== FOREVER) throw new NotFound(`joining ${id} that is under way`);
	closeAt(db, 'joinings', { id }, now, { outcome });
}

/**
 * Saves the answer to one question, after trying it out where it can be tried. Throws InputProblem with what is wrong
 * beside its field, and then nothing is saved.
 */
export async function saveAnswer(ctx: Context, id: number, step: string, input: unknown, by: string): Promise<Joining> {
	const { db } = ctx;
	const row = rowOf(db, id);
	const steps = stepsOf(row.site_id);
	const at = steps.indexOf(step as JoiningStep);
	if (at < 0) throw new NotFound(`question called ${step}`);
	if (row.until !== FOREVER) throw new NotFound(`joining ${id} that is under way`);
	const before = await joiningOf(ctx, id);
	if (before.next !== null && steps.indexOf(before.next) < at)
		throw problem('form', `Answer the question before first: ${before.next}.`);
	const answer = await ANSWER[step as JoiningStep]({ ctx, before, by }, input);
	// Somebody else may have answered another question while this one was tried out.
	db.transaction(() =>
		run(db, 'UPDATE joinings SET answers = ? WHERE id = ?', [JSON.stringify({ ...answersOf(db, id), ...answer }), id])
	).immediate();
	return joiningOf(ctx, id);
}

interface Answering {
	ctx: Context;
	before: Joining;
	by: string;
}

/** What each answer is tried on, and what it changes of the answers: what is undefined then is open again. */
const ANSWER: {
	[S in JoiningStep]: (a: Answering, input: unknown) => Promise<{ [K in keyof Answers]?: Answers[K] | undefined }>;
} = {
	async address({ ctx, before }, input) {
		const { address } = parseInput(SCHEMAS.address, input);
		let pem: string;
		try {
			pem = await ctx.providers.sites.certificate(address);
		} catch (e) {
			if (!(e instanceof ProviderError)) throw e;
			const known = await ctx.providers.sites.resolve(readAddress(address)!.host, null);
			throw problem(
				'address',
				known.length ? `${sentence(e.message)}.` : `${readAddress(address)!.host} does not resolve.`
			);
		}
		if (address === before.address && readCertificate(pem).fingerprint === before.certificate?.fingerprint) return {};
		// Another provider may be another site.
		return { address: { address }, certificate: { pem, confirmed: null, confirmedBy: null }, account: undefined };
	},

	async certificate({ ctx, before, by }, input) {
		// Tools write them in capitals or not, with colons or without.
		const fingerprint = fingerprintOf(parseInput(SCHEMAS.certificate, input).fingerprint);
		const pem = await ctx.providers.sites.certificate(before.address!);
		const host = readAddress(before.address!)!.host;
		const authorities = await ctx.providers.sites.authorities();
		const { certificate, standing } = lookAt(pem, host, authorities, fingerprint, ctx.clock.now());
		if (certificate.fingerprint !== fingerprint)
			throw problem('fingerprint', 'The provider shows another certificate now. Look at the address again.');
		if (standing.value !== 'trusted')
			throw problem('fingerprint', standing.facts.map((f) => `${sentence(f.words)}.`).join(' '));
		return { certificate: { pem, confirmed: fingerprint, confirmedBy: by } };
	},

	async account({ ctx, before }, input) {
		const { account, secret } = parseInput(SCHEMAS.account, input);
		let offer: SiteOffer;
		try {
			offer = await ctx.providers.sites.offer(before.address!, account, secret);
		} catch (e) {
			if (!(e instanceof ProviderError)) throw e;
			throw problem('account', `${sentence(e.message)}.`);
		}
		const known = one(ctx.db, 'SELECT 1 FROM sites WHERE id = ?', [offer.site]);
		if (before.site === null && known) throw problem('account', `This is ${offer.site}, which is joined up already.`);
		if (before.site !== null && before.site !== offer.site)
			throw problem('account', `This is ${offer.site}, not ${before.site}.`);
		return { account: { account, secret: ctx.vault.seal(secret, providerSecret(before.address!)), offer } };
	},

	async particulars({ ctx, before }, input) {
		const particulars = parseInput(SCHEMAS.particulars, input);
		const { offer } = before.account!;
		const problems: { field: string; words: string }[] = [];
		for (const n of particulars.networks)
			if (!offer.networks.some((o) => o.id === n))
				problems.push({ field: 'networks', words: `The provider has no network called ${n}.` });
		if (particulars.link && !one(ctx.db, 'SELECT 1 FROM sites WHERE id = ?', [particulars.link.to]))
			problems.push({ field: 'link.to', words: `There is no site called ${particulars.link.to}.` });
		if (one(ctx.db, 'SELECT 1 FROM sites WHERE name = ? AND id <> ?', [particulars.name, before.siteId]))
			problems.push({ field: 'name', words: 'There is a site with this name already.' });
		if (problems.length) throw new InputProblem(problems);
		return { particulars: { ...particulars, networks: [...new Set(particulars.networks)] } };
	},

	async directory({ ctx }, input) {
		const { folder, account, secret } = parseInput(SCHEMAS.directory, input);
		if (!one(ctx.db, 'SELECT 1 FROM folders WHERE name = ?', [folder]))
			throw problem('folder', `The directory has no folder ${folder}.`);
		const may = await ctx.providers.sites.mayCreate(account, secret, folder);
		if (!may.ok) throw problem(may.wrong, `${sentence(may.saw)}.`);
		return { directory: { folder, account, secret: ctx.vault.seal(secret, joinSecret(folder)) } };
	},

	async prices(_a, input) {
		return { prices: parseInput(SCHEMAS.prices, input) };
	}
};

const sentence = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);

/** How the site would be reached by what has been answered. Throws InputProblem while a question is open. */
export async function answeredProvider(
	ctx: Context,
	id: number
): Promise<{ joining: Joining; provider: SiteProvider & { secret: string; joinSecret: string } }> {
	const joining = await joiningOf(ctx, id);
	if (joining.until !== FOREVER) throw problem('joining', `Joining ${id} is over: ${joining.outcome}.`);
	if (joining.next !== null) throw problem('joining', `One question is still open: ${joining.next}.`);
	const a = answersOf(ctx.db, id);
	const open = (sealed: string, about: string) => {
		const secret = ctx.vault.open(sealed, about);
		if (secret === null) throw problem('joining', 'A secret that is kept cannot be opened. Give it once more.');
		return secret;
	};
	return {
		joining,
		provider: {
			address: a.address!.address,
			account: a.account!.account,
			secret: open(a.account!.secret, providerSecret(a.address!.address)),
			confirmed: a.certificate!.confirmed,
			confirmedBy: a.certificate!.confirmedBy,
			folder: a.directory!.folder,
			joinAccount: a.directory!.account,
			joinSecret: open(a.directory!.secret, joinSecret(a.directory!.folder)),
			planned: a.particulars?.planned ?? providerAt(ctx.db, ctx.vault, joining.site!, ctx.clock.now())?.planned ?? 0
		}
	};
}

/** Runs the checks for a site that is on its way, with what has been answered so far. */
export async function checkJoining(ctx: Context, id: number): Promise<SiteResult[]> {
	const { joining, provider } = await answeredProvider(ctx, id);
	const site = joining.siteId!;
	const there = one<{ n: number }>(
		ctx.db,
		`SELECT count(*) AS n FROM machines WHERE site_id = ? AND until = ${FOREVER}`,
		[site]
	)!.n;
	return lookAtSite(ctx, {
		id: site,
		name: joining.particulars?.name ?? nameOfSite(ctx.db, site),
		provider,
		networks: joining.particulars?.networks ?? networksOf(ctx.db, site),
		planned: Math.max(0, provider.planned - there),
		whole: (await ctx.providers.builder.held(site)).whole.length,
		devices: false
	});
}

/** A fingerprint as certificates are shown with it here: capitals, two by two, with colons. */
const fingerprintOf = (typed: string): string =>
	typed
		.replaceAll(/[^0-9a-f]/gi, '')
		.toUpperCase()
		.match(/.{1,2}/g)
		?.join(':') ?? '';
