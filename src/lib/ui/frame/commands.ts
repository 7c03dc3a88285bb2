import { page } from '$app/state';
import { call } from '$lib/ui/plan/api';
import { addressWith, type Parts } from './address';
import { switchTheme } from './theme';

interface Named {
	id: string;
	name: string;
}

/** Something that the menu goes to. */
export interface Thing extends Named {
	kind: string;
}

/** Something that the menu does, or a page where it is done. */
export interface Act {
	words: string;
	href?: string;
	run?: () => void;
}

/** Forms that the menu opens, for whoever may draft their plans. */
const FORMS: { kind: string; words: string; parts: Parts; path: string }[] = [
	{ kind: 'image.build', words: 'Build a version', parts: {}, path: '/build' },
	{ kind: 'pool.create', words: 'Make a pool of machines', parts: { make: 'pool' }, path: '/publish' },
	{
		kind: 'publication.create',
		words: 'Publish a desktop or an app',
		parts: { make: 'publication' },
		path: '/publish'
	},
	{ kind: 'package.deliver', words: 'Deliver a package', parts: { make: 'delivery' }, path: '/publish/delivery' },
	{ kind: 'grant.add', words: 'Grant a publication', parts: { make: 'grant' }, path: '/publish' },
	{ kind: 'report.put', words: 'Build a report', parts: { make: '1' }, path: '/secure/reports' }
];

/** What the menu offers before anything is typed, for somebody with these rights. */
export function commandsFor(
	data: {
		mayDraft: readonly string[];
		lab: boolean;
		names: { pool: readonly Named[]; publication: readonly Named[]; gateway: readonly Named[] };
	},
	open: { bench(): void; keys(): void }
): { things: Thing[]; acts: Act[] } {
	const to = (parts: Parts, path: string) => addressWith(page.url, parts, path);
	return {
		things: (['pool', 'publication', 'gateway'] as const).flatMap((kind) =>
			data.names[kind].map((x) => ({ kind, ...x }))
		),
		acts: [
			...FORMS.filter((f) => data.mayDraft.includes(f.kind)).map((f) => ({
				words: f.words,
				href: to(f.parts, f.path)
			})),
			{ words: 'Go the way to the first desktop', href: to({}, '/first') },
			{ words: 'Test access for a person', href: to({}, '/secure') },
			{ words: 'See who gets what', href: to({}, '/publish/who') },
			{ words: 'See the sessions', href: to({ list: 'sessions' }, '/watch') },
			...(data.lab ? [{ words: 'Open the lab bench', run: open.bench }] : []),
			{ words: 'Day or night theme', run: switchTheme },
			{ words: 'Show all keys', run: open.keys }
		]
	};
}

/** What is called so, or says so, at the moment that is looked at. */
export async function search(text: string, look: { live: boolean; at: number }): Promise<Thing[]> {
	const query = new URLSearchParams({ q: text, ...(look.live ? {} : { at: String(look.at) }) });
	const answer = await call<{ rows: Thing[] }>('GET', `/search?${query}`);
	return answer.ok ? answer.value.rows : [];
}
