import { MINUTE } from '$lib/core/time/units';
import { takeActivity } from '../activity/write';
import { recordOf } from '../directory';
import type { Flow } from '../providers';
import type { Harness } from './harness';

/** Something that somebody reached for a minute, from the desks at the quay. */
export const flow = (person: string, since: number, some: Partial<Flow> = {}): Flow => ({
	person,
	endpoint: null,
	machine: null,
	address: '10.1.0.9',
	target: { kind: 'site', name: 'tides.example' },
	way: 'device',
	rule: '',
	effect: 'allow',
	through: true,
	asked: null,
	since,
	until: since + MINUTE,
	decisions: 1,
	down: 1000,
	up: 500,
	...some
});

/** Takes in what people reached, as it is told. */
export const tellFlows = (h: Harness, at: number, flows: Flow[]): void =>
	takeActivity(
		h.db,
		{ kind: 'activity', seq: 0, at, flows },
		{
			machine: () => undefined,
			person: (login) => recordOf(h.db, login, h.lab.now)?.id
		}
	);
