import { firstWithRoom, servingPools } from '$lib/core/access/broker';
import type { Coming, ComingGroup, GroupMend } from '$lib/core/people/coming';
import { readyFor, type Morning, type MorningPool, type WillHave } from '$lib/core/people/ready';
import { DAY, HOUR } from '$lib/core/time/units';
import { momentOf, wallTime } from '$lib/core/time/zone';
import { demandCurve } from '../capacity';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { fromJson } from '../db/json';
import { personCalled, recordsOf, saidBy } from '../directory';
import { waysOf } from '../estate';
import { hasFactor } from '../identity/factor';
import { knowsDevicesAt, withoutDevice } from '../endpoints';
import { wholeSites } from '../images';
import { poolsAt, type PoolRow } from '../pools';
import { grantsAt, type PublicationRow, publicationsAt } from '../publications';
import { licencesAt } from '../publishing';
import { shelfOf, type ShelfItem } from '../shelf';
import { poolCounts } from '../watch';
import { estateAt, type EstateThen } from './handovers';
import { freeDevices } from './devices';
import { leavesOf } from './leaving';

type Found = Pick<ComingGroup, 'will' | 'state' | 'facts' | 'mends' | 'arranged'>;
type Group = readonly [Coming, ...Coming[]];

/** People of a group who are looked at one by one. */
const EACH = 12;
/** Names of what people have that are said one by one. */
const NAMED = 4;

/** The morning that somebody finds on a day: nine o'clock where nothing else is said. */
function morningOf(at: number, zone: string): number {
	const wall = wallTime(zone, at);
	return wall.minute === 0 ? momentOf(zone, wall.day, 9 * 60) : at;
}

const onShelf = (items: readonly ShelfItem[]) => items.filter((s) => s.standing !== 'can ask');
const opened = (items: readonly ShelfItem[]) =>
	items.filter((s) => s.standing === 'required' || s.standing === 'fetched');

const namesWords = (items: readonly ShelfItem[]): string => {
	const names = items.map((s) => s.name);
	return names.length > NAMED
		? `${names.slice(0, NAMED - 1).join(', ')} and ${names.length - NAMED + 1} more`
		: names.join(', ');
};

/** Whether something is shut to somebody by nothing but the networks that it opens from. */
const shutByNetwork = (s: ShelfItem): boolean =>
	!s.allowed && s.why.filter((f) => f.side === 'against').every((f) => f.source === 'gateway');

const willHave = (s: ShelfItem, anywhere: boolean): WillHave => ({
	id: s.id,
	name: s.name,
	standing: s.standing,
	opens: s.allowed || (anywhere && shutByNetwork(s)),
	shut: s.allowed ? null : (s.why.find((f) => f.side === 'against')?.words ?? null)
});

/**
 * What people find who begin or move, and leave who end, as it is known at a moment. What is the same for all of them is read once. Asked
 * in the order of their days: machines that some are given are not there for those who come later.
 */
export function mornings(db: Db, at: number): Record<Coming['kind'], (g: Group) => Found> {
	const pools = new Map(poolsAt(db, at).map((p) => [p.id, p]));
	const counts = poolCounts(db, at);
	const publications = new Map(publicationsAt(db, at).map((p) => [p.id, p]));
	const grants = grantsAt(db, at);
	const way = waysOf(db);
	const say = saidBy(db);
	const taken = new Map<string, number>();
	const devices = freeDevices(db, at);
	const usualNow = new Map<string, number>();
	const holders = new Map<string, number>();
	let estate: EstateThen | null = null;

	const zoneOf = (c: Coming): string => personCalled(db, c.login, c.at)?.zone ?? 'Etc/UTC';
	const shelfThen = (c: Coming, then: number): ShelfItem[] => shelfOf(db, c.login, then, true) ?? [];

	/** Seats of a shared pool that are taken at that hour, as on the same day of the last two weeks. */
	function usual(pool: string, morning: number): number {
		const key = `${pool} ${Math.floor(morning / HOUR)}`;
		let n = usualNow.get(key);
		if (n === undefined) {
			const weeks = Math.max(1, Math.ceil((morning - at) / (7 * DAY)));
			const past = [weeks, weeks + 1].map((w) => morning - w * 7 * DAY).filter((t) => t + 2 * HOUR <= at);
			n = Math.max(0, ...past.flatMap((t) => demandCurve(db, t, 8, { pool })));
			usualNow.set(key, n);
		}
		return n;
	}

	function morningPool(p: PoolRow, morning: number): MorningPool {
		const { id, name, assignment, perMachine } = p;
		if (assignment === 'shared')
			return {
				id,
				name,
				assignment,
				perMachine,
				has: (counts.get(id)?.machines ?? 0) * perMachine,
				asked: usual(id, morning)
			};
		const has = one<{ n: number }>(
			db,
			`SELECT count(*) AS n FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl')}
			 JOIN machine_states st ON st.machine_id = m.id AND ${asOf('machine_states st')}
			 WHERE m.pool_id = @pool AND ${asOf('machines m')} AND pl.owner_id IS NULL AND st.state <> 'failed'`,
			{ at, pool: id }
		)!.n;
		return { id, name, assignment, perMachine, has, asked: taken.get(id) ?? 0 };
	}

	/** Who has a licence of a publication now: counted once for all groups. */
	function holdersOf(p: PublicationRow): number {
		let n = holders.get(p.id);
		if (n === undefined) holders.set(p.id, (n = licencesAt(db, p, at).holders));
		return n;
	}

	/** What a group finds on its morning of the things that it opens there. */
	function morningFor(g: Group, things: readonly ShelfItem[]): Morning {
		const [c] = g;
		const morning = morningOf(c.at, zoneOf(c));
		const mine = opened(things);
		// An app opens in the session that is there, where there is a desktop: its pools are those of the desktop.
		const desks = mine.filter((s) => s.app === null && s.reaches === null);
		const served = (desks.length ? desks : mine.filter((s) => s.reaches === null)).map((s) => {
			const serving = (publications.get(s.id)?.pools ?? []).flatMap((id) => pools.get(id) ?? []);
			const order = servingPools(c.site, serving, (to) => way(c.site, to)).value;
			return { of: s.name, pools: order.map((p) => ({ ...morningPool(p, morning), site: p.site })) };
		});
		for (const s of served) {
			const first = firstWithRoom(s.pools, (p) => ({ seats: p.has - p.asked, own: 0, unkept: p.has - p.asked })).value;
			if (first?.assignment === 'personal') taken.set(first.id, (taken.get(first.id) ?? 0) + g.length);
		}
		// Of newcomers nobody knows yet where they will sit.
		const unknown = personCalled(db, c.login, c.at)?.address === '';
		const people = [
			...recordsOf(
				db,
				g.map((x) => x.login),
				at
			).values()
		];
		const asksFactor = grants.some((x) => x.conditions.secondFactor && mine.some((s) => s.id === x.publication));
		return {
			people: g.length,
			has: things.map((s) => willHave(s, unknown)),
			pools: served,
			licences: mine.flatMap((s) => {
				const p = publications.get(s.id);
				return p && p.licences !== null
					? [{ of: p.internalName, licences: p.licences, holders: holdersOf(p), need: g.length }]
					: [];
			}),
			withoutMail: people.filter((p) => p.mail === null).length,
			withoutFactor: asksFactor ? people.filter((p) => !hasFactor(db, { kind: 'person', id: p.id })).length : 0,
			fromWhere: unknown ? mine.filter(shutByNetwork).map((s) => s.name) : [],
			lacks: lacking(c.site, new Set(served.flatMap((s) => s.pools.map((p) => p.id)))),
			devices: knowsDevicesAt(db, c.site, at)
				? {
						without: withoutDevice(
							db,
							g.map((x) => x.login),
							c.site,
							at
						),
						free: devices.count(c.site)
					}
				: null,
			far: null
		};
	}

	/** Versions of pools at a site that its store does not have whole. */
	function lacking(site: string, ids: ReadonlySet<string>): Morning['lacks'] {
		const lacks = new Map<string, { line: string; version: string }>();
		for (const id of ids) {
			const p = pools.get(id);
			if (p?.site === site && !wholeSites(db, p.line, p.version).has(site))
				lacks.set(`${p.line} ${p.version}`, { line: p.line, version: p.version });
		}
		return [...lacks.values()];
	}

	function found(g: Group, morning: Morning, will: string): Found {
		const { value, facts, mends } = readyFor(morning);
		return {
			will,
			state: value,
			facts,
			mends: mends.map((m): GroupMend => {
				if (m.kind === 'grow') return { ...m, name: pools.get(m.pool)?.name ?? m.pool };
				return {
					kind: 'device',
					give: devices.promise(g[0].site, g[0].team, m.people).map(({ endpoint, person }) => ({ endpoint, person }))
				};
			}),
			arranged: false
		};
	}

	return {
		begins(g) {
			const shelf = shelfThen(g[0], morningOf(g[0].at, zoneOf(g[0])));
			return found(g, morningFor(g, shelf), namesWords(onShelf(shelf)) || 'nothing yet');
		},
		moves(g) {
			const [c] = g;
			const from = c.from!;
			const before = onShelf(shelfThen(c, Math.min(at, c.at - 1)));
			const after = onShelf(shelfThen(c, morningOf(c.at, zoneOf(c))));
			const lacks = (items: readonly ShelfItem[]) => (s: ShelfItem) => !items.some((x) => x.id === s.id);
			const gains = after.filter(lacks(before));
			const loses = before.filter(lacks(after));
			const words = [
				...(gains.length ? [`gains ${namesWords(gains)}`] : []),
				...(loses.length ? [`loses ${namesWords(loses)}`] : [])
			];
			const bytes = g
				.slice(0, EACH)
				.reduce(
					(n, x) => n + one<{ profile: number }>(db, 'SELECT profile FROM people WHERE login = ?', [x.login])!.profile,
					0
				);
			// At the same site what they keep is as it was: what they gain is looked at.
			const stays = from.site === c.site;
			const morning = morningFor(g, stays && gains.length ? gains : after);
			return found(
				g,
				{
					...morning,
					...(stays && gains.length === 0 ? { pools: [] } : {}),
					withoutMail: 0,
					...(stays ? { devices: null } : {}),
					far: stays ? null : { bytes, site: say.site(from.site), ms: linkTime(db, from.site, c.site, bytes) }
				},
				words.join(', ') || 'keeps what they have'
			);
		},
		ends(g) {
			const own = g.slice(0, EACH).map((c) => leavesOf(db, c.login, at, (estate ??= estateAt(db, at))));
			const facts = own.flatMap((o) => o.facts);
			return {
				will: [...new Set(own.flatMap((o) => o.words))].join(', ') || 'nothing to hand over',
				state: facts.some((f) => f.side === 'against') ? 'soon' : 'ready',
				facts,
				mends: [],
				arranged: own.every((o) => o.agreed)
			};
		}
	};
}

/** Ms that bytes take over the link between two sites, by its speed alone; null where none is known. */
export function linkTime(db: Db, from: string, to: string, bytes: number): number | null {
	const link = all<{ id: string; links: string }>(db, 'SELECT id, links FROM sites WHERE id IN (?, ?)', [from, to])
		.flatMap((s) => fromJson<{ to: string; mbit: number }[]>('sites.links', s.links).map((l) => ({ ...l, from: s.id })))
		.find((l) => (l.from === from && l.to === to) || (l.from === to && l.to === from));
	return link && link.mbit > 0 ? (bytes * 8) / (link.mbit * 1000) : null;
}
