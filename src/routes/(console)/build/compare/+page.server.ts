import { compareContents } from '$lib/core/images/versions';
import { linesAt, sendBetween } from '$lib/server/images';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

export const load = ({ url, depends }) => {
	// A version that has just come is compared as soon as it is known.
	depends('sextant:live');
	const { db } = runtime();
	const lines = linesAt(db, asKnown(lookOf(url, runtime())));
	const all = lines.flatMap((l) => l.versions.map((v) => ({ ...v, id: `${l.id}/${v.number}` })));
	const line = lines.find((l) => l.id === url.searchParams.get('line')) ?? lines[0];
	const own = line?.versions.map((v) => `${line.id}/${v.number}`) ?? [];
	const of = (key: string, otherwise: string | undefined) =>
		all.find((v) => v.id === url.searchParams.get(key)) ?? all.find((v) => v.id === otherwise) ?? null;
	const a = of('a', own.at(-2) ?? own.at(-1));
	const b = of('b', own.at(-1));
	return {
		versions: all.map((v) => ({ id: v.id, words: `${v.line} ${v.number}` })),
		a: a && { id: a.id, words: `${a.line} ${a.number}`, size: a.size },
		b: b && { id: b.id, words: `${b.line} ${b.number}`, size: b.size, line: b.line, number: b.number },
		changes: a && b ? compareContents(a.contents, b.contents) : [],
		same:
			a && b
				? b.contents.filter((c) =>
						a.contents.some((o) => o.name === c.name && o.version === c.version && o.size === c.size)
					)
				: [],
		send: a && b ? sendBetween(db, a, b) : null
	};
};
