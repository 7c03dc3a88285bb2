import { asKnown, lookOf } from '$lib/server/moment';
import { shared } from '$lib/server/moment/shared';
import { termWords } from '$lib/core/scope/scope';
import { parcel } from '$lib/ui/frame/parcel';
import { runtime } from '$lib/server/runtime';
import { hostsPage, machinesPage, peoplePage, sessionsPage } from '$lib/server/watch';

const LISTS = { machines: machinesPage, sessions: sessionsPage, people: peoplePage, hosts: hostsPage } as const;
const USUAL = { machines: '-strain', sessions: '-signin', people: 'name', hosts: '-cores' } as const;

export const load = ({ url, depends }) => {
	depends('sextant:live');
	const ctx = runtime();
	const { db } = ctx;
	const look = lookOf(url, runtime());
	const at = asKnown(look);
	const wanted = url.searchParams.get('list') ?? 'machines';
	const list = (Object.hasOwn(LISTS, wanted) ? wanted : 'machines') as keyof typeof LISTS;
	const sort = url.searchParams.get('sort') ?? USUAL[list];
	const descending = sort.startsWith('-');
	const page = shared(ctx, `watch ${list} ${sort} ${look.scopeText}`, at, () => {
		const { rows, total, left } = LISTS[list](db, {
			at,
			scope: look.scope,
			sort: descending ? sort.slice(1) : sort,
			descending,
			limit: 100,
			offset: 0
		});
		return {
			rows: parcel(rows as unknown as ({ id: number } & Record<string, unknown>)[]),
			total,
			left: left.map((t) => termWords(t))
		};
	});
	return { list, sort, at, ...page };
};
