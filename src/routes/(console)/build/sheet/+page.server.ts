import { error } from '@sveltejs/kit';
import { lineAt, reportOf, sheetAt, suppliesOf } from '$lib/server/images';
import { asKnown, lookOf } from '$lib/server/moment';
import { runtime } from '$lib/server/runtime';

export const load = async ({ url }) => {
	const context = runtime();
	const { db } = context;
	const at = asKnown(lookOf(url, runtime()));
	const id = url.searchParams.get('line') ?? '';
	const line = lineAt(db, id, at);
	const sheet = sheetAt(db, id, at);
	if (!line || !sheet) error(404, `There is no image line called ${id || '…'}.`);
	const supplies = await suppliesOf(context);
	return {
		line: { id: line.id, name: line.name, users: line.users, generation: line.generation },
		report: await reportOf(context, id, sheet, supplies),
		// What can be chosen from; contents are for the server to know.
		supplies: {
			stock: supplies.stock,
			packages: supplies.packages,
			versions: supplies.versions.map((v) => ({ ...v, contents: [] })),
			machines: supplies.machines.map((m) => ({ ...m, contents: [] }))
		}
	};
};
