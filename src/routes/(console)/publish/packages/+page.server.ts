import { newestOf } from '$lib/core/images/follow';
import { sharedLoad } from '$lib/server/load';
import { unusedTerms } from '$lib/core/scope/scope';
import { linesAt } from '$lib/server/images';
import { capturesAt, clashesAt, packagesAt } from '$lib/server/packages';

export const load = sharedLoad(async ({ context, look, at }) => {
	const { db, providers } = context;
	return {
		// Packages are of no site, pool or team: no term of the scope says anything of them.
		left: unusedTerms(look.scope.terms),
		packages: packagesAt(db, at),
		clashes: clashesAt(db, at),
		captures: capturesAt(db, at),
		installers: look.live ? await providers.installer.offers() : [],
		lines: linesAt(db, at).map((l) => ({
			id: l.id,
			system: l.system,
			users: l.users,
			versions: l.versions.filter((v) => !v.retired && !v.open).map((v) => v.number),
			/** Programs that its newest released version holds. */
			holds: (newestOf(l.versions)?.contents ?? []).map((c) => c.name)
		}))
	};
});
