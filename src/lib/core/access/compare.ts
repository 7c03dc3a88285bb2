import { decideOpening, type AccessRequest, type Door, type GrantRule } from './decide';

/** A person with the requests to try: their past sign-ins, or one as they would make it now. */
export interface PersonRequests {
	id: string;
	name: string;
	requests: AccessRequest[];
}

/** A way into a publication: its own door, and the grants behind it. */
export interface Way {
	door: Door;
	grants: GrantRule[];
}

/** Who a change of a way lets in or keeps out. */
export interface AccessChange {
	gains: { id: string; name: string }[];
	loses: { id: string; name: string }[];
	/** People who keep access, but some of whose past sign-ins would now be refused. */
	partly: { id: string; name: string; refused: number; of: number }[];
}

/** People whom a grant reaches and who had the publication before, with the grant that lets them in. */
export function hadBefore(
	people: PersonRequests[],
	before: Way,
	grant: GrantRule
): { id: string; name: string; by: string }[] {
	const names = new Map(before.grants.map((g) => [g.id, g.to.name]));
	return people.flatMap(({ id, name, requests }) => {
		const [request] = requests;
		const reached =
			request && (grant.to.kind === 'person' ? grant.to.id === request.personId : request.teams.includes(grant.to.id));
		if (!reached) return [];
		const was = decideOpening(request, before.door, before.grants).value;
		return was.allowed ? [{ id, name, by: names.get(was.grant!)! }] : [];
	});
}

/** Compares two ways into one publication over the requests that people make. */
export function compareAccess(people: PersonRequests[], before: Way, after: Way): AccessChange {
	const change: AccessChange = { gains: [], loses: [], partly: [] };
	for (const { id, name, requests } of people) {
		let was = 0;
		let is = 0;
		let refused = 0;
		for (const request of requests) {
			const a = decideOpening(request, before.door, before.grants).value.allowed;
			const b = decideOpening(request, after.door, after.grants).value.allowed;
			if (a) was++;
			if (b) is++;
			if (a && !b) refused++;
		}
		if (was === 0 && is > 0) change.gains.push({ id, name });
		else if (was > 0 && is === 0) change.loses.push({ id, name });
		else if (refused > 0) change.partly.push({ id, name, refused, of: requests.length });
	}
	return change;
}
