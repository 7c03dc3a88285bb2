import { termWords, unusedTerms } from '$lib/core/scope/scope';
import { sharedLoad } from '$lib/server/load';
import {
	AROUND,
	comingAt,
	comingGroups,
	daysOf,
	desks,
	formChoices,
	keepingNow,
	leaverNow,
	moverNow,
	personalPools,
	ownPerson,
	welcomeNow
} from '$lib/server/people';
import { peoplePage } from '$lib/server/watch';
import { parcel } from '$lib/ui/frame/parcel';

/** Days ahead that the figures over the view count. */
const AHEAD = 30 * 86_400_000;

const LISTS = ['coming', 'everybody', 'desks'] as const;

export const load = sharedLoad(({ url, context, look, at }) => {
	const { db } = context;
	const coming = comingAt(db, look.scope, at);
	const groups = comingGroups(db, at, { among: coming.items });
	const days = daysOf(db, coming.items);
	/** How each of those to come stands, by what they do and when. */
	const states = new Map(
		groups.flatMap((g) => g.people.map((p) => [`${g.kind} ${p.login} ${g.at}`, g.state] as const))
	);
	const list = LISTS.find((l) => l === url.searchParams.get('list')) ?? 'coming';
	const sort = url.searchParams.get('sort') ?? 'name';
	const descending = sort.startsWith('-');
	const kept =
		list === 'desks'
			? desks.page(db, {
					at,
					scope: look.scope,
					sort: sort === 'name' ? '' : sort.replace(/^-/, ''),
					descending,
					limit: 100,
					offset: 0
				})
			: null;
	const people = peoplePage(db, {
		at,
		scope: look.scope,
		sort: descending ? sort.slice(1) : sort,
		descending,
		limit: list === 'everybody' ? 100 : 1,
		offset: 0
	});
	const soon = coming.items.filter((c) => c.at >= at && c.at < at + AHEAD);
	const making = look.live ? url.searchParams.get('make') : null;
	return {
		at,
		list,
		sort,
		around: AROUND,
		left: list === 'everybody' ? people.left.map((t) => termWords(t)) : unusedTerms(kept?.left ?? coming.left),
		marks: coming.items.map((c, i) => ({
			login: c.login,
			name: c.name,
			kind: c.kind,
			at: c.at,
			day: days[i]!,
			state: states.get(`${c.kind} ${c.login} ${c.at}`) ?? null
		})),
		groups,
		total: people.total,
		rows: parcel(list === 'everybody' ? (people.rows as unknown as ({ id: number } & Record<string, unknown>)[]) : []),
		counts: {
			begin: soon.filter((c) => c.kind === 'begins').length,
			move: soon.filter((c) => c.kind === 'moves').length,
			end: soon.filter((c) => c.kind === 'ends').length,
			unready: groups.filter((g) => g.state === 'missing' && g.at < at + AHEAD).reduce((n, g) => n + g.people.length, 0)
		},
		make: making,
		choices: making === null ? null : formChoices(db, at),
		edit: making === 'leave' || making === 'move' ? null : ownPerson(db, url.searchParams.get('edit'), at),
		welcome:
			making === 'welcome'
				? welcomeNow(db, (url.searchParams.get('people') ?? '').split(',').filter(Boolean), at)
				: null,
		keeping: list === 'desks' ? keepingNow(db, at) : null,
		desks: kept?.rows ?? [],
		deskTotal: kept?.total ?? 0,
		editPool: url.searchParams.get('edit'),
		personalPools: making === 'move' ? personalPools(db, at) : [],
		mover: making === 'move' ? moverNow(db, url.searchParams.get('edit'), at) : null,
		leaver: making === 'leave' ? leaverNow(db, url.searchParams.get('edit'), at) : null
	};
});
