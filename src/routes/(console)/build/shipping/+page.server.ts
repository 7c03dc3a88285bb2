import { setting } from '$lib/server/db';
import { dueAt, lackingAt, linesAt, linksOf, shipmentsAt, wholeSites } from '$lib/server/images';
import { sitesOf } from '$lib/server/estate';
import { sharedLoad } from '$lib/server/load';

export const load = sharedLoad(async ({ url, context, at }) => {
	const { db } = context;
	const lines = linesAt(db, at);
	const versions = lines.flatMap((l) =>
		l.versions
			.filter((v) => !v.retired)
			.map((v) => ({ id: `${l.id}/${v.number}`, words: `${l.name} ${v.number}`, line: l.id, number: v.number }))
	);
	const line = url.searchParams.get('line');
	const chosen =
		versions.find((v) => v.id === url.searchParams.get('version')) ??
		versions.findLast((v) => line === null || v.line === line) ??
		null;
	const home = setting(db, 'home') ?? '';
	const links = linksOf(db);
	const due = dueAt(db, at);
	const whole = chosen ? wholeSites(db, chosen.line, chosen.number) : new Set<string>();
	const sites = sitesOf(db);
	return {
		versions: versions.map(({ id, words }) => ({ id, words })),
		chosen,
		sites: chosen
			? await Promise.all(
					sites.map(async (s) => {
						const link =
							links.find((l) => (l.a === home && l.b === s.id) || (l.b === home && l.a === s.id)) ??
							links.find((l) => l.a === s.id || l.b === s.id);
						const key = `${s.id}/${chosen.line}/${chosen.number}`;
						return {
							...s,
							home: s.id === home,
							whole: whole.has(s.id),
							link: link ? { mbit: link.mbit, loss: link.loss, to: link.a === s.id ? link.b : link.a } : null,
							due: due.get(key) ?? null,
							underway: due.has(key),
							...(whole.has(s.id) ? { lacks: 0, of: 0 } : await lackingAt(context, s.id, chosen.line, chosen.number))
						};
					})
				)
			: [],
		shipments: shipmentsAt(db, at, 12).map((s) => ({
			...s,
			sites: s.sites.map((p) => ({
				...p,
				name: sites.find((x) => x.id === p.site)?.name ?? p.site,
				zone: sites.find((x) => x.id === p.site)?.zone ?? 'Etc/UTC'
			}))
		}))
	};
});
