import type { Context } from '../context';
import { linesAt } from '../images';
import { packagesAt } from '../packages';
import { imageTargetsOf } from './publication-plans';
import type { AppRef } from '../publications';

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
