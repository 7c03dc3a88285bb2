import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { one, type Db } from '../db';
import { linesAt } from '../images/queries';
import { packagesAt } from '../packages/queries';
import { imageTargetsOf } from './publication-plans';
import type { AppRef, PublicationRow } from './queries';
import { poolsFor } from './serving';

export interface Publishable extends AppRef {
	/** For people. */
	name: string;
	/** Where it comes from, in words. */
	of: string;
	/** Whether the package has a picture for it. */
	pictured: boolean;
}

/** Everything that can be published beside desktops: what the newest packages start, then what images start. */
export async function targetsOf(ctx: Context, at: number): Promise<Publishable[]> {
	const packaged = packagesAt(ctx.db, at).flatMap((p) =>
		p.versions.at(-1)!.spec.targets.map((t) => ({
			package: p.name,
			target: t.id,
			name: t.name,
			of: `package ${p.name}`,
			pictured: t.icon !== ''
		}))
	);
	const imaged = await Promise.all(
		linesAt(ctx.db, at).map(async (l) =>
			(await imageTargetsOf(ctx, l.id)).map((t) => ({
				package: `image/${l.id}`,
				target: t.id,
				name: t.name,
				of: `image ${l.id}`,
				pictured: false
			}))
		)
	);
	return [...packaged, ...imaged.flat()];
}

/** What a publication opens, in words. */
export function titleIn(targets: readonly Publishable[], app: AppRef): string {
	const t = targets.find((x) => x.package === app.package && x.target === app.target);
	return t ? `${t.name}, ${t.of}` : `${app.target} of ${app.package}`;
}

/** What is worth a second look at a publication: nobody can open it, a poor picture, another that opens the same. */
export function remarksOn(db: Db, p: PublicationRow, all: readonly PublicationRow[], at: number): Fact[] {
	const facts: Fact[] = [];
	const say = (words: string) => facts.push({ words, side: 'against', source: 'publications' });
	const can = new Map(poolsFor(db, p.app, at).map((x) => [x.id, x.can]));
	const serving = p.pools.filter((id) => can.get(id)?.value);
	if (serving.length === 0) say('no pool can serve it');
	else if (serving.length < p.pools.length) say(`${p.pools.length - serving.length} of its pools cannot serve it`);
	if (p.app && (p.icon === 'app' || p.icon === 'desktop')) say('its picture stands for anything');
	const same = all.find(
		(x) => x.id !== p.id && x.app && p.app && x.app.package === p.app.package && x.app.target === p.app.target
	);
	if (same) say(`${same.internalName} opens the same`);
	const twin = all.find((x) => x.id !== p.id && x.app && p.app && x.icon === p.icon && x.icon !== 'app');
	if (twin) say(`${twin.internalName} has the same picture`);
	if (!one(db, 'SELECT 1 FROM grants WHERE publication_id = ? AND since <= ? AND until > ?', [p.id, at, at]))
		say('nobody has been granted it');
	return facts;
}
