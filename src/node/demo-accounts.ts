import type { Role } from '$lib/core/access/rights';

/** One account for each role of the demo. There is nothing to protect in it. */
export const DEMO_OPERATORS: { login: string; name: string; role: Role }[] = [
	{ login: 'owner', name: 'Runa Solheim', role: 'owner' },
	{ login: 'builder', name: 'Chidi Okafor', role: 'builder' },
	{ login: 'operator', name: 'Ines Haugland', role: 'operator' },
	{ login: 'helpdesk', name: 'Tuva Brekke', role: 'helpdesk' },
	{ login: 'auditor', name: 'Orla Pascoe', role: 'auditor' }
];
export const DEMO_PASSWORD = 'tideline';
/** Somebody of Chart Production in Bergen. */
export const DEMO_PERSON = 'alindqvist';
