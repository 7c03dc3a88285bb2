import { DAY, durationWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

/** What a certificate says of itself (X.509, RFC 5280). */
export interface Certificate {
	/** One line each, as `CN=…, O=…`. */
	subject: string;
	issuer: string;
	/** Ms UTC. */
	from: number;
	until: number;
	/** SHA-256 over its DER form, as pairs of hexadecimal digits with colons. */
	fingerprint: string;
	/** DNS names and addresses that it is for. */
	names: string[];
}

/** `to confirm`: nothing is wrong with it, but nobody known vouches for it. */
export type Standing = 'trusted' | 'to confirm' | 'refused';

/** Ahead of its end by this long, a certificate is spoken of. */
export const RENEW_AHEAD = 30 * DAY;

/**
 * Whether a connection may rest on a certificate. `matches`: it is for the host that was asked for (RFC 9525).
 * `authority`: the name of the known authority that signed it, or null. `confirmed`: the fingerprint that somebody
 * has confirmed for this address, or null. What is out of its time or for another name is refused, whoever vouches.
 */
export function judgeCertificate(
	certificate: Certificate,
	asked: { host: string; now: number; matches: boolean; authority: string | null; confirmed: string | null }
): Explained<Standing> {
	const { now } = asked;
	const wrong: Fact[] = [];
	const against = (words: string) => wrong.push({ words, side: 'against', source: 'certificate' });
	if (now >= certificate.until)
		against(`it expired ${durationWords(now - certificate.until)} ago: have a new one issued`);
	if (now < certificate.from)
		against(`it is not valid for another ${durationWords(certificate.from - now)}: look at the clocks`);
	if (!asked.matches)
		against(
			`it is for ${certificate.names.join(', ') || 'no name at all'}, not for ${asked.host}: use an address that it names`
		);
	if (wrong.length) return { value: 'refused', facts: wrong };

	const ends: Fact[] =
		certificate.until - now < RENEW_AHEAD
			? [
					{
						words: `it expires in ${durationWords(certificate.until - now)}`,
						side: 'against',
						at: certificate.until,
						source: 'certificate'
					}
				]
			: [];
	if (asked.authority !== null)
		return {
			value: 'trusted',
			facts: [
				{ words: `${asked.authority} signed it, which the directory vouches for`, side: 'for', source: 'certificate' },
				...ends
			]
		};
	if (asked.confirmed === certificate.fingerprint)
		return {
			value: 'trusted',
			facts: [{ words: 'its fingerprint was confirmed by hand', side: 'for', source: 'certificate' }, ...ends]
		};
	return {
		value: 'to confirm',
		facts: [
			{
				words:
					asked.confirmed === null
						? `nobody known vouches for ${certificate.issuer}`
						: 'it is another one than was confirmed: it was renewed, or somebody stands in between',
				side: 'against',
				source: 'certificate'
			},
			...ends
		]
	};
}
