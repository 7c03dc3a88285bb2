import { matrixAt } from '$lib/server/access';
import { hoursById, poolsAt } from '$lib/server/pools';
import { bootServersOf } from '$lib/server/capacity';
import { foldersOf, networksOf, sitesOf } from '$lib/server/estate';
import { unmadeMachines } from '$lib/server/machines';
import { teamsByName } from '$lib/server/directory';
import { linesAt } from '$lib/server/images';
import { sharedLoad } from '$lib/server/load';
import { unusedTerms } from '$lib/core/scope/scope';
import {
	insideName,
	licencesAt,
	peopleUsing,
	poolsFor,
	publishingAt,
	remarksOn,
	targetsOf,
	titleIn
} from '$lib/server/publishing';
import { servicesAt } from '$lib/server/reach';
import { publicationsAt } from '$lib/server/publications';
import { poolCounts } from '$lib/server/watch';

export const load = sharedLoad(async ({ url, context, look, at }) => {
	const { db, providers } = context;
	const counts = poolCounts(db, at);
	const unmade = unmadeMachines(db);
	const { pools, publications, grants, poolOf, left } = publishingAt(db, look.scope, at);
	const targets = await targetsOf(context, at);
	const using = peopleUsing(db, publications, at);
	const who = matrixAt(db, at, publications);
	const making = look.live ? url.searchParams.get('make') : null;
	const edit = publicationsAt(db, at).find((p) => p.id === url.searchParams.get('edit')) ?? null;
	return {
		left: unusedTerms(...left),
		pools: pools.map((p) => ({
			id: p.id,
			name: p.name,
			siteName: p.siteName,
			line: p.line,
			version: p.version,
			assignment: p.assignment,
			perMachine: p.perMachine,
			...(counts.get(p.id) ?? { machines: 0, up: 0, sessions: 0 }),
			unmade: unmade.filter((u) => u.pool === p.id)
		})),
		publications: publications.map((p, i) => ({
			...p,
			served: p.pools.map((id) => ({ id, name: poolOf.get(id)?.name ?? id })),
			grants: grants.filter((g) => g.publication === p.id).length,
			people: who.totals[i]!,
			personal: p.pools.some((id) => poolOf.get(id)?.assignment === 'personal'),
			inUse: using.get(p.id)?.size ?? 0,
			opens: p.app
				? `${titleIn(targets, p.app)}`
				: p.reaches
					? `${insideName(db, p.reaches, at) ?? p.reaches}, in a browser alone`
					: 'a desktop',
			holders: p.licences === null ? null : licencesAt(db, p, at).holders,
			remarks: remarksOn(db, p, publications, at)
		})),
		choices: {
			sites: sitesOf(db),
			networks: networksOf(db),
			folders: foldersOf(db),
			lines: linesAt(db, at).map((l) => ({
				id: l.id,
				users: l.users,
				versions: l.versions.map((v) => ({ number: v.number, held: v.held })).reverse()
			})),
			hours: [...hoursById(db).keys()],
			bootServers: bootServersOf(db),
			existing: look.live
				? (await providers.compute.existing()).filter((m) => sitesOf(db).some((s) => s.id === m.site))
				: [],
			pools: poolsAt(db, at).map((p) => ({ id: p.id, name: p.name })),
			targets,
			services: servicesAt(db, at).map(({ id, name }) => ({ id, name })),
			/** By what is opened: pools that cannot serve it, each with the reason. */
			cannot:
				making === 'publication'
					? Object.fromEntries(
							targets.map((t) => [
								`${t.package} ${t.target}`,
								Object.fromEntries(
									poolsFor(db, t, at).flatMap((x) => (x.can.value ? [] : [[x.id, x.can.facts[0]!.words]]))
								)
							])
						)
					: {},
			teams: teamsByName(db)
		},
		make: url.searchParams.get('make'),
		edit
	};
});
