import type { Wanted } from '$lib/core/packages/attach';
import type { Context } from '../context';
import { deliveriesAt } from './delivery';
import { warmUpOf } from './prepare';
import { packagesAt, titleOf, type PackageRow } from './queries';
import type { WishedPackage, Wishes } from '../providers';

/** Pushes to the agents what their pools are to have of packages. */
export async function tellAgents(ctx: Context): Promise<void> {
	await ctx.providers.agent.deliver(wishesOf(ctx));
}

function wishesOf(ctx: Context): Wishes {
	const now = ctx.clock.now();
	const pools: Record<string, Wanted[]> = {};
	for (const d of deliveriesAt(ctx.db, now)) {
		(pools[d.pool] ??= []).push({ package: d.package, version: d.version, mode: d.mode });
	}
	// What is still open of versions before, or of a package that was withdrawn, is served on.
	return {
		pools,
		packages: packagesAt(ctx.db, now).flatMap((p) => p.versions.map((v) => wishedOf(p, v, warmUpOf(ctx.db, v, now))))
	};
}

function wishedOf(p: PackageRow, v: PackageRow['versions'][number], warmUp: { bytes: number }[]): WishedPackage {
	const { spec } = v;
	return {
		package: p.name,
		version: v.number,
		title: titleOf(p),
		manifest: v.manifest,
		system: spec.system,
		vouched: spec.vouched,
		size: v.size,
		unpacked: v.unpacked,
		files: v.files,
		agent: spec.agent,
		services: spec.services,
		ports: spec.ports,
		order: p.position,
		targets: spec.targets.map((t) => ({ id: t.id, name: t.name })),
		teams: spec.teams,
		refusal: spec.refusal,
		warmUp: warmUp.length ? { files: warmUp.length, bytes: warmUp.reduce((n, w) => n + w.bytes, 0) } : null,
		overlay: spec.writes.overlay
	};
}
