import { narrow, unusedTerms } from '$lib/core/scope/scope';
import { poolsAt } from '$lib/server/pools';
import { sharedLoad } from '$lib/server/load';
import { deliveryStatesAt, fitsPool, packagesAt } from '$lib/server/packages';

export const load = sharedLoad(({ url, context, look, at }) => {
	const { db } = context;
	const { items, left } = narrow(
		look.scope,
		deliveryStatesAt(db, at),
		{ pool: (d) => [d.pool], site: (d) => [d.site] },
		(d) => `${d.package} ${d.poolName}`
	);
	const making = look.live && url.searchParams.get('make') === 'delivery';
	const packages = packagesAt(db, at);
	const pools = poolsAt(db, at);
	return {
		left: unusedTerms(left),
		deliveries: items,
		packages: packages.map((p) => ({
			name: p.name,
			versions: p.versions
				.map((v) => ({
					number: v.number,
					/** By pool that cannot have it: why. */
					no: making
						? Object.fromEntries(
								pools.flatMap((pool) => {
									const fits = fitsPool(db, v, pool.id);
									return fits.value ? [] : [[pool.id, fits.facts.find((f) => f.side === 'against')?.words ?? '']];
								})
							)
						: {}
				}))
				.reverse()
		})),
		pools: pools.map((p) => ({ id: p.id, name: p.name })),
		make: making
	};
});
