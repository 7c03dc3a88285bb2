import { countWords, durationWords, MINUTE } from '../time/units';
import type { Fact } from '../why/explained';
import type { Standing } from './certificates';

/** What has to be right at a site so that machines can be made and kept there, each looked at again and again. */
export const SITE_CHECKS = [
	'provider',
	'certificate',
	'names',
	'directory',
	'clock',
	'accounts',
	'addresses',
	'image',
	'devices',
	'door'
] as const;
export type SiteCheck = (typeof SITE_CHECKS)[number];

export const SITE_CHECK_WORDS: Record<SiteCheck, { asks: string; fails: string }> = {
	provider: {
		asks: 'Does its compute provider answer, seen from there?',
		fails: 'its compute provider is out of reach'
	},
	certificate: { asks: 'Is the provider’s certificate good?', fails: 'the provider’s certificate is not accepted' },
	names: { asks: 'Do names resolve both ways there?', fails: 'names do not resolve there' },
	directory: { asks: 'Does the directory answer there?', fails: 'the directory does not answer there' },
	clock: { asks: 'Do the clocks agree within 5 minutes?', fails: 'its clock is off' },
	accounts: {
		asks: 'May computer accounts be made in its folder?',
		fails: 'no computer accounts can be made in its folder'
	},
	addresses: {
		asks: 'Are there addresses for the machines planned?',
		fails: 'it has too few free addresses for the machines planned'
	},
	image: { asks: 'Can it get at an image?', fails: 'it cannot get at any image' },
	devices: { asks: 'Do its devices learn where to call?', fails: 'new devices there do not find Sextant' },
	door: {
		asks: 'Is nothing reached there before somebody has signed in?',
		fails: 'whoever stands at a device there reaches the web without signing in'
	}
};

/** What a plan asks of a site. */
export type SiteNeed = 'machines' | 'accounts' | 'images';

/** Which checks have to pass for what. Too few addresses are counted by the plan itself, machine by machine. */
const NEEDED_FOR: Record<SiteNeed, readonly SiteCheck[]> = {
	machines: ['provider', 'certificate'],
	accounts: ['provider', 'certificate', 'names', 'directory', 'clock', 'accounts'],
	images: ['provider', 'certificate']
};

/** The outcome of a look that can fail: what was seen, or why nothing was. */
export type Seen<T> = { ok: true; value: T } | { ok: false; saw: string };

/** What was seen of a site, to be judged. */
export interface SiteFacts {
	name: string;
	/** Host of the provider's address. */
	host: string;
	/** Addresses that the host resolves to, for Sextant itself and for machines at the site. */
	here: string[];
	there: string[];
	/** Ms for an answer of the provider, from the site. */
	reach: Seen<number>;
	/** Whether the provider takes the account that is kept for it; null where its certificate is not trusted: it is shown no secret. */
	account: Seen<true> | null;
	certificate: { standing: Standing; saw: string };
	/** Names that resolve to an address but not back to the same name, or not at all; seen from the site. */
	names: { name: string; address: string | null; back: string[] }[];
	/** Ms for an answer of the directory. */
	directory: Seen<number>;
	/** What the clocks at the site showed, as differences to Sextant's own, ms. */
	clocks: { of: string; off: number }[];
	accounts: Seen<{ folder: string; account: string }>;
	/** Free addresses by network, and machines that are still to be made. */
	networks: { id: string; free: number }[];
	planned: number;
	/** Versions that stand whole at the site, and a site that has some and that a working link leads to. */
	whole: number;
	from: string | null;
	/** Whether devices that start there for the first time find Sextant; null where no network of it is for devices, or nothing says where to call. */
	devices: Pick<SiteResult, 'ok' | 'saw' | 'remedy'> | null;
	/** What was tried by a device there that nobody is on, and whether it was let through; null where no network of it is for devices. */
	stranger: { tried: string; through: boolean } | null;
}

export interface SiteResult {
	name: SiteCheck;
	/** Null where an earlier failure makes it pointless to ask. */
	ok: boolean | null;
	saw: string;
	/** What puts it right; empty where nothing is wrong. */
	remedy: string;
}

/** A ticket is refused when clocks are further apart than the skew allowed (RFC 4120 §1.6); five minutes is the usual skew. */
export const CLOCK_SKEW = 5 * MINUTE;

/** Judges what was seen of a site. Answers with every check, in order. */
export function checkSite(f: SiteFacts): SiteResult[] {
	const result = (name: SiteCheck, ok: boolean, saw: string, remedy = ''): SiteResult => ({
		name,
		ok,
		saw,
		remedy: ok ? '' : remedy
	});
	const provider = checkProvider(f);
	const badNames = f.names.filter((n) => n.address === null || !n.back.includes(n.name));
	const off = f.clocks.filter((c) => Math.abs(c.off) > CLOCK_SKEW);
	const worst = f.clocks.reduce((a, c) => Math.max(a, Math.abs(c.off)), 0);
	const free = f.networks.reduce((n, x) => n + x.free, 0);
	return [
		{ name: 'provider', ...provider },
		result(
			'certificate',
			f.certificate.standing === 'trusted',
			f.certificate.saw,
			f.certificate.standing === 'to confirm'
				? 'Compare the fingerprint with the one that the provider shows, and confirm it.'
				: 'Have a new certificate issued for this address.'
		),
		result(
			'names',
			badNames.length === 0,
			badNames.length
				? badNames
						.map((n) =>
							n.address === null
								? `${n.name} does not resolve there`
								: `${n.name} is ${n.address}, which is ${n.back.join(', ') || 'nothing'}`
						)
						.join('; ')
				: `${f.names.map((n) => n.name).join(', ')}: there and back`,
			'Put the records and their reverse records right in the name service of this site.'
		),
		result(
			'directory',
			f.directory.ok,
			f.directory.ok ? `answered in ${f.directory.value} ms` : f.directory.saw,
			'Let the machines’ network reach a directory server, or have one at this site.'
		),
		result(
			'clock',
			off.length === 0,
			off.length
				? off.map((c) => `${c.of} is ${durationWords(Math.abs(c.off))} ${c.off > 0 ? 'ahead' : 'behind'}`).join('; ')
				: `at most ${durationWords(worst)} apart`,
			'Let it take its time from the same source as the directory.'
		),
		f.directory.ok
			? result(
					'accounts',
					f.accounts.ok,
					f.accounts.ok ? `${f.accounts.value.account} may, in ${f.accounts.value.folder}` : f.accounts.saw,
					'Give the account the right to create computer accounts in this folder, or choose another folder.'
				)
			: { name: 'accounts', ok: null, saw: 'not asked: the directory does not answer', remedy: '' },
		result(
			'addresses',
			free >= f.planned && f.networks.length > 0,
			f.networks.length === 0
				? 'it has no network'
				: `${countWords(free, 'address', 'addresses')} free, ${countWords(f.planned, 'machine')} still planned`,
			'Lease more of the range, release leases that nobody holds, or plan fewer machines.'
		),
		result(
			'image',
			f.whole > 0 || f.from !== null,
			f.whole > 0
				? `${countWords(f.whole, 'version')} there`
				: f.from !== null
					? `none there yet; ${f.from} can send one`
					: 'none there, and no working link leads to a site that has one',
			'Give the site a link to one that has images, or bring the link up.'
		),
		...(f.devices ? [{ name: 'devices' as const, ...f.devices }] : []),
		...(f.stranger
			? [
					result(
						'door',
						!f.stranger.through,
						f.stranger.through
							? `${f.stranger.tried} was reached by a device that nobody is on`
							: `${f.stranger.tried} was tried by a device that nobody is on, and was shut`,
						'Have what stands at the door of this site ask who it is again: until then rules hold nobody there.'
					)
				]
			: [])
	];
}

function checkProvider(f: SiteFacts): Omit<SiteResult, 'name'> {
	if (f.there.length === 0)
		return {
			ok: false,
			saw:
				f.here.length > 0
					? `${f.host} is ${f.here.join(', ')} for Sextant itself, but nothing for machines at ${f.name}`
					: `${f.host} does not resolve`,
			remedy: `Enter ${f.host} in the name service that machines at ${f.name} ask, or give an address that they know.`
		};
	if (!f.reach.ok)
		return {
			ok: false,
			saw: f.reach.saw,
			remedy: 'See that the provider runs, and that nothing on the way shuts its port.'
		};
	if (f.account === null)
		return {
			ok: true,
			saw: `answered in ${f.reach.value} ms; it is shown no secret before its certificate is trusted`,
			remedy: ''
		};
	if (!f.account.ok)
		return { ok: false, saw: f.account.saw, remedy: 'Renew the account and its secret on the page of this site.' };
	return { ok: true, saw: `answered in ${f.reach.value} ms, and takes the account`, remedy: '' };
}

/** The checks that have to pass for what a plan needs. */
export const checksFor = (need: SiteNeed): readonly SiteCheck[] => NEEDED_FOR[need];

/** Failing checks that stand in the way of what a plan needs of a site, as its blocks. */
export function siteBlocks(
	site: { id: string; name: string },
	failing: { name: SiteCheck; saw: string; since: number }[],
	need: SiteNeed
): Fact[] {
	return failing
		.filter((c) => NEEDED_FOR[need].includes(c.name))
		.map((c) => ({
			words: `${site.name}: ${SITE_CHECK_WORDS[c.name].fails} (${c.saw})`,
			side: 'against',
			at: c.since,
			source: 'check',
			about: { kind: 'site', id: site.id, name: site.name }
		}));
}
