import type { Explained, Fact } from '$lib/core/why/explained';
import { poolsAt } from '../pools';
import { countWords } from '$lib/core/time/units';
import { asOf } from '../db/intervals';
import { all, type Db } from '../db';
import { deliveriesAt, packageAt } from '../packages';
import { publicationsAt, type AppRef } from '../publications';
import { slug } from '../plans/slug';
import { fromJson } from '../db/json';

/** Apps of an image are named by its line. */
const IMAGE = 'image/';
export const isImageApp = (app: AppRef): boolean => app.package.startsWith(IMAGE);
export const lineOf = (app: AppRef): string | null => (isImageApp(app) ? app.package.slice(IMAGE.length) : null);

/** What people call an app: as it is published, or as its package calls it. */
export function appName(db: Db, app: { package: string; target: string }, at: number): string {
	const published = publicationsAt(db, at).find((p) => p.app?.package === app.package && p.app.target === app.target);
	if (published) return published.name;
	if (isImageApp(app)) return app.target;
	const targets =
		packageAt(db, app.package, at)
			?.versions.toReversed()
			.flatMap((v) => v.spec.targets) ?? [];
	return targets.find((t) => t.id === app.target)?.name ?? app.package;
}

/** Image versions that the machines of a pool are on, with their contents. */
const versionsIn = (db: Db, pool: string, at: number): { number: string; machines: number; contents: string[] }[] =>
	all<{ number: string; machines: number; contents: string }>(
		db,
		`SELECT v.number, count(*) AS machines, v.contents FROM machines m JOIN machine_spots pl ON pl.machine_id = m.id AND ${asOf('machine_spots pl', '?1')}
		 JOIN versions v ON v.line_id = pl.line_id AND v.number = pl.version WHERE m.pool_id = ?2 AND ${asOf('machines m', '?1')} GROUP BY v.number, v.contents`,
		{ 1: at, 2: pool }
	).map((v) => ({
		...v,
		contents: fromJson<{ name: string }[]>('versions.contents', v.contents).map((c) => slug(c.name))
	}));

/** Whether an image holds what a launch target of it starts: targets are named by their program. */
const holds = (contents: readonly string[], target: string): boolean => contents.includes(target);

/** Pools that can serve a desktop (`app` null) or an app, each with the reason, in the order of the pools. */
export function poolsFor(
	db: Db,
	app: AppRef | null,
	at: number
): { id: string; name: string; can: Explained<boolean> }[] {
	const delivered = app && !isImageApp(app) ? deliveriesAt(db, at).filter((d) => d.package === app.package) : [];
	const versions = app && !isImageApp(app) ? (packageAt(db, app.package, at)?.versions ?? []) : [];
	return poolsAt(db, at).map((p) => {
		const say = (
			can: boolean,
			words: string,
			source: string
		): { id: string; name: string; can: Explained<boolean> } => {
			const fact: Fact = { words, side: can ? 'for' : 'against', source };
			return { id: p.id, name: p.name, can: { value: can, facts: [fact] } };
		};
		if (app === null) return say(true, 'its machines have a desktop', 'pool');
		const line = lineOf(app);
		if (line !== null) {
			if (p.line !== line) return say(false, `its machines are made from ${p.line}, not from ${line}`, 'pool');
			const on = versionsIn(db, p.id, at);
			const without = on.filter((v) => !holds(v.contents, app.target));
			const machines = without.reduce((n, v) => n + v.machines, 0);
			const numbers = without.map((v) => v.number).join(', ');
			if (on.length === 0) return say(false, 'it has no machine', 'pool');
			return without.length === on.length
				? say(false, `${line} ${numbers}, which its machines are on, does not hold it`, 'image')
				: say(
						true,
						without.length
							? `its machines are made from ${line}; ${countWords(machines, 'machine')} on ${numbers} ${machines === 1 ? 'does' : 'do'} not hold it`
							: `its machines are on versions of ${line} that hold it`,
						'image'
					);
		}
		const d = delivered.find((x) => x.pool === p.id);
		if (!d) return say(false, `${app.package} is not delivered to it`, 'delivery');
		const starts = versions.find((v) => v.number === d.version)?.spec.targets.some((t) => t.id === app.target);
		return starts
			? say(true, `${app.package} ${d.version} is delivered to it`, 'delivery')
			: say(false, `${app.package} ${d.version}, which it has, does not start ${app.target}`, 'package');
	});
}

/** The pools that serve a publication at a moment, in its order: those that an app of a package is delivered to. */
export function servedBy(db: Db, at: number): (p: { app: AppRef | null; pools: readonly string[] }) => string[] {
	const has = new Map<string, Set<string>>();
	for (const d of deliveriesAt(db, at)) has.set(d.package, (has.get(d.package) ?? new Set()).add(d.pool));
	return (p) => p.pools.filter((pool) => !p.app || isImageApp(p.app) || (has.get(p.app.package)?.has(pool) ?? false));
}
