import type { Explained, Fact } from '$lib/core/why/explained';
import { poolsAt } from '../capacity/queries';
import type { Db } from '../db';
import { deliveriesAt } from '../packages/delivery';
import { packageAt } from '../packages/queries';
import type { AppRef } from './queries';

/** Apps of an image are named by its line. */
const IMAGE = 'image/';
export const isImageApp = (app: AppRef): boolean => app.package.startsWith(IMAGE);
export const lineOf = (app: AppRef): string | null => (isImageApp(app) ? app.package.slice(IMAGE.length) : null);

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
		if (line !== null)
			return p.line === line
				? say(true, `its machines are made from ${line}`, 'pool')
				: say(false, `its machines are made from ${p.line}, not from ${line}`, 'pool');
		const d = delivered.find((x) => x.pool === p.id);
		if (!d) return say(false, `${app.package} is not delivered to it`, 'delivery');
		const starts = versions.find((v) => v.number === d.version)?.spec.targets.some((t) => t.id === app.target);
		return starts
			? say(true, `${app.package} ${d.version} is delivered to it`, 'delivery')
			: say(false, `${app.package} ${d.version}, which it has, does not start ${app.target}`, 'package');
	});
}
