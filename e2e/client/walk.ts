import createClient from 'openapi-fetch';
import type { paths } from './schema';

/** What a script would do with a client that is made from the API's description: look, plan, commit, wait, undo. */
export async function walk(baseUrl: string, token: string): Promise<string[]> {
	const said: string[] = [];
	const api = createClient<paths>({ baseUrl, headers: { authorization: `Bearer ${token}` } });

	const { data: machines } = await api.GET('/machines', {
		params: { query: { scope: 'site:bergen', sort: '-strain', limit: 3 } }
	});
	const machine = machines!.rows[0]!;
	said.push(`${machines!.rows.length} of ${machines!.total > 3 ? 'many' : 'few'}`, typeof machine.strain);

	const { data: card } = await api.GET('/machines/{id}', { params: { path: { id: machine.name } } });
	said.push(card!.title === machine.name ? 'its card' : 'another card', `${card!.facts.length > 0}`);
	for (const section of card!.sections) if (section.kind === 'samples') said.push(`${section.points.length > 1}`);

	const { data: plan } = await api.POST('/plans', {
		body: { kind: 'note.write', input: { about: `machine/${machine.name}`, text: 'Left by a script' } }
	});
	said.push(`${plan!.blocks.length} blocks`, plan!.undo!.kind);
	const { data: committed } = await api.POST('/plans/{id}/commit', { params: { path: { id: plan!.id } } });
	const id = committed!.job;
	// Null where the plan waits for the consent of another.
	if (id === null) throw new Error('it waits for consent');
	for (;;) {
		const { data: job } = await api.GET('/jobs/{id}', { params: { path: { id } } });
		if (job!.ended !== null) {
			said.push(job!.state);
			break;
		}
		await new Promise((done) => setTimeout(done, 200));
	}

	const { data: notes } = await api.GET('/notes', { params: { query: { scope: '"Left by a script"' } } });
	said.push(notes!.rows[0]!.text);
	const { error } = await api.GET('/machines/{id}', { params: { path: { id: 'moon' } } });
	said.push(`${error!.status} ${error!.title}`);
	return said;
}
