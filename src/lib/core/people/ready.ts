import { countWords, durationWords, sizeWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';

/** How ready an estate is for somebody on a day: nothing is missing; something they will meet; something they cannot work without. */
export type Readiness = 'ready' | 'soon' | 'missing';

/** Something that people will open. */
export interface WillHave {
	id: string;
	name: string;
	/** On their shelf from the first moment, or to be fetched or asked for by themselves. */
	standing: 'required' | 'fetched' | 'can fetch' | 'can ask';
	/** Whether it opens for them that morning; else what keeps it shut. */
	opens: boolean;
	shut: string | null;
}

/** A pool that their desktop may come from, with what else is asked of it that morning. */
export interface MorningPool {
	id: string;
	name: string;
	assignment: 'shared' | 'personal';
	/** Machines that nobody keeps and that work; of a shared pool seats when everything that it has is up. */
	has: number;
	/** People who will be there at that hour besides them, as it has been on such days; of a personal pool those who get a machine before them. */
	asked: number;
	/** Seats of one of its machines. */
	perMachine: number;
}

/** What is known of the morning of some people who are alike: of one team at one site, who begin or come there together. */
export interface Morning {
	/** How many they are. */
	people: number;
	has: readonly WillHave[];
	/** For each thing that they will open, the pools in the order in which they are tried; none where no pool stands behind it. */
	pools: readonly { of: string; pools: readonly MorningPool[] }[];
	licences: readonly { of: string; licences: number; holders: number; need: number }[];
	/** Of them, those who have no mail address, to whom nobody can write. */
	withoutMail: number;
	/** Of them, those who have given no second factor, where something that they get asks for one. */
	withoutFactor: number;
	/** Versions that their site lacks. */
	lacks: readonly { line: string; version: string }[];
	/** Things that open from certain networks alone, where it is not known from where they will come. */
	fromWhere: readonly string[];
	/** Of them, those who have no device and for whom none is kept, and devices at their site that are free; null where none is known there at all. */
	devices: { without: readonly string[]; free: number } | null;
	/** Files that lie at another site than they will: bytes, and ms until they are there over the link. */
	far: { bytes: number; site: string; ms: number | null } | null;
}

/** What mends something that is missing, as it can be worked out from the facts: a pool that grows, devices that are kept for people. */
export type Mend = { kind: 'grow'; pool: string; machines: number } | { kind: 'device'; people: readonly string[] };

/**
 * Whether some people will find what they need on a morning, and what is missing. Facts that speak against it come first; `mends` are what would
 * put it right.
 */
export function readyFor(m: Morning): Explained<Readiness> & { mends: Mend[] } {
	const missing: Fact[] = [];
	const soon: Fact[] = [];
	const fine: Fact[] = [];
	const mends: Mend[] = [];
	const against = (words: string, source: string): Fact => ({ words, side: 'against', source });
	const are = countWords(m.people, 'person', 'people');

	const own = m.has.filter((x) => x.standing === 'required' || x.standing === 'fetched');
	if (m.has.filter((x) => x.standing !== 'can ask').length === 0)
		missing.push(against('no grant reaches them', 'grants'));
	for (const x of own)
		if (!x.opens) missing.push(against(`${x.name} does not open for them${x.shut ? `: ${x.shut}` : ''}`, 'grants'));
		else fine.push({ words: `${x.name} opens for them`, side: 'for', source: 'grants' });

	const grown = new Map<string, number>();
	for (const { of, pools } of m.pools) {
		if (pools.length === 0) {
			missing.push(against(`no pool serves ${of} for them`, 'broker'));
			continue;
		}
		const free = pools.map((p) => p.has - p.asked);
		const enough = pools.find((_p, i) => free[i]! >= m.people);
		if (enough) {
			fine.push({
				words: `${enough.name} has room: ${Math.round(enough.has - enough.asked)} of ${enough.has} free`,
				side: 'for',
				about: { kind: 'pool', id: enough.id },
				source: 'broker'
			});
			continue;
		}
		const [first] = pools;
		const left = Math.max(0, Math.round(free[0]!));
		const short = m.people - left;
		missing.push({
			words:
				first!.assignment === 'personal'
					? left === 0
						? `no machine of ${first!.name} is free for ${m.people === 1 ? 'them' : are}`
						: `${countWords(left, 'machine')} of ${first!.name} for ${are}`
					: `${first!.name} is full at that hour: about ${Math.round(first!.asked)} would be on its ${first!.has} seats`,
			side: 'against',
			about: { kind: 'pool', id: first!.id },
			source: 'broker'
		});
		const machines = Math.ceil(short / Math.max(1, first!.perMachine));
		if ((grown.get(first!.id) ?? 0) < machines) grown.set(first!.id, machines);
	}
	for (const [pool, machines] of grown) mends.push({ kind: 'grow', pool, machines });

	for (const l of m.licences) {
		const words = `licences of ${l.of}: ${l.holders} of ${l.licences} given`;
		if (l.holders + l.need > l.licences) missing.push(against(`${words}, ${l.need} more needed`, 'licences'));
		else fine.push({ words, side: 'for', source: 'licences' });
	}
	const { without, free } = m.devices ?? { without: [], free: 0 };
	if (without.length) {
		const whom = m.people === without.length ? 'them' : countWords(without.length, 'of them', 'of them');
		missing.push(
			against(
				`no endpoint is kept for ${whom}: ${free === 0 ? 'none is free there' : `${countWords(free, 'is', 'are')} free there`}`,
				'endpoints'
			)
		);
		if (free > 0) mends.push({ kind: 'device', people: without.slice(0, free) });
	} else if (m.devices) fine.push({ words: 'an endpoint is theirs', side: 'for', source: 'endpoints' });
	for (const l of m.lacks) missing.push(against(`${l.line} ${l.version} is not there yet`, 'shipping'));
	if (m.far && m.far.bytes > 0)
		soon.push(
			against(
				`${sizeWords(m.far.bytes)} of files lie at ${m.far.site}${m.far.ms === null ? '' : `: about ${durationWords(m.far.ms)} over the link`}`,
				'profiles'
			)
		);
	if (m.fromWhere.length)
		soon.push(
			against(`${m.fromWhere.join(', ')} opens from some networks alone: where they will sit is not known`, 'endpoint')
		);
	if (m.withoutMail)
		soon.push(
			against(
				m.people === 1 ? 'no mail address is known' : `${m.withoutMail} of them have no mail address`,
				'directory'
			)
		);
	if (m.withoutFactor)
		fine.push({ words: 'they are asked for a second factor at their first sign-in', source: 'sign-in' });
	return {
		value: missing.length ? 'missing' : soon.length ? 'soon' : 'ready',
		facts: [...missing, ...soon, ...fine],
		mends
	};
}
