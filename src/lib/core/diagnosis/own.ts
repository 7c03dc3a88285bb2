import { runbookFor, type CheckName, type Remedy } from './checks';
import type { Explained } from '../why/explained';

/** Whose a machine is to somebody who would mend it, and whether others are on it. */
export interface OwnMachine {
	/** They keep it, and nobody else does. */
	kept: boolean;
	/** Sessions of other people on it. */
	others: number;
}

/**
 * Which remedies for a failing check a person may set going on a machine by themselves, mildest first: none that costs somebody else
 * their session, and none that costs themselves what lies on a machine of their own. Empty where only the helpdesk can help.
 */
export function ownRemedies(check: CheckName, { kept, others }: OwnMachine): Explained<Remedy[]> {
	const { remedies, facts } = runbookFor(check);
	const may = remedies.filter((r) => r === 'restart service' || (r === 'restart machine' && (kept || others === 0)));
	return {
		value: may,
		facts: [
			...facts,
			...(remedies.includes('restart machine') && !may.includes('restart machine')
				? [
						{
							words: 'others are on it: only its service may be started anew',
							side: 'against' as const,
							source: 'runbook'
						}
					]
				: []),
			...(remedies.includes('reset to image')
				? [{ words: 'resetting it to its image is left to the helpdesk', source: 'runbook' }]
				: [])
		]
	};
}
