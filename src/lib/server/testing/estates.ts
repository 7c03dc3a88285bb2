import { GB } from '$lib/core/time/units';
import type { Estate } from '$lib/core/estate/schema';
import type { Context } from '../context';
import { joiningOf, saveAnswer } from '../joining/joinings';

/** A computer at the quay that belongs to nobody, but for its name and kind. */
export const COMPUTER = {
	site: 'quay',
	network: 'quay-desks',
	system: 'Meridian Server 24',
	users: 'multi',
	generation: 2,
	cores: 4,
	memory: 16 * GB,
	gpus: 0,
	disk: 120 * GB
} as const;

/** Adds a reef that is still to be joined up; its provider’s certificate is of an authority that nobody knows. */
export function addReef(e: Estate, change: (reef: Estate['sites'][number]) => void = () => {}): void {
	const isle = e.sites[1]!;
	const range = isle.networks[0]!;
	const reef: Estate['sites'][number] = {
		...isle,
		id: 'reef',
		name: 'Reef',
		joined: false,
		provider: { also: ['reef-compute'], account: 'sextant', authority: 'own' },
		networks: [{ id: 'reef-desks', range: '10.3.0.0/24', first: range.first + 65536, last: range.last + 65536 }],
		links: [{ to: 'quay', mbit: 200, latency_ms: 20, loss: 0 }]
	};
	change(reef);
	e.sites.push(reef);
	e.hosts.push({ ...e.hosts[0]!, id: 'reef-h1', site: 'reef' });
	e.volumes.push({ ...e.volumes[0]!, id: 'reef-v1', site: 'reef' });
}

export const REEF_ADDRESS = 'compute.reef.testbay.example:8443';

/** What is answered about the reef as a site. */
export const REEF = {
	name: 'Reef',
	kind: 'office',
	timeZone: 'America/Halifax',
	networks: ['reef-desks'],
	link: { to: 'quay', mbit: 200, latency_ms: 20, loss: 0 },
	planned: 12
};

/** Answers every question of the reef’s joining rightly. */
export async function answerReef(ctx: Context, id: number): Promise<void> {
	const save = (step: string, input: unknown) => saveAnswer(ctx, id, step, input, 'Chidi');
	await save('address', { address: REEF_ADDRESS });
	await save('certificate', { fingerprint: (await joiningOf(ctx, id)).certificate!.fingerprint });
	await save('account', { account: 'sextant', secret: 'tideline' });
	await save('particulars', REEF);
	await save('directory', { folder: 'desks/isle', account: 'svc-join', secret: 'tideline' });
	await save('prices', { hostHour: 1.5, volumeMonth: 30 });
}

type Fleet = Estate['endpoints']['fleets'][number];

/** Boxes that nobody has, by fleet, one branch, and one rule that lets in whatever calls. */
export function letAllIn(
	e: Estate,
	fleets: readonly (Pick<Fleet, 'id' | 'site' | 'naming' | 'serials' | 'spare'> & Partial<Fleet>)[]
): void {
	e.endpoints = {
		firmware: [],
		fleets: fleets.map((f) => ({
			kind: 'desk box' as const,
			model: 'Tern 5',
			firmware: '4.2.0',
			most: 0,
			each: 1,
			roams: 0,
			breaks: 0,
			lost: 0,
			clones: 0,
			...f
		})),
		branches: [{ id: 'all', name: 'All' }],
		rules: [
			{
				name: 'Whatever calls',
				condition: 'any device',
				into: 'all',
				by_site: false,
				whom: 'all',
				often: 'start',
				deeper: 'stay'
			}
		]
	};
}

/** Everybody at the Quay whom the file gives a managed endpoint has a desk box there, which is let in when it calls. */
export function withDesks(e: Estate): void {
	e.sites[0]!.endpoint_ranges = ['10.1.4.0/24'];
	letAllIn(e, [{ id: 'desks', site: 'quay', naming: 'q-##', serials: 'TQ-', spare: 0, most: 99 }]);
}
