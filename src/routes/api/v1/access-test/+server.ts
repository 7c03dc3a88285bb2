import { json } from '@sveltejs/kit';
import { testAccess } from '$lib/server/access';
import { answer } from '$lib/server/api/problems';
import { askedOf } from '$lib/server/api/asked';
import { NotFound } from '$lib/server/plans';
import { runtime } from '$lib/server/runtime';

const yesNo = (text: string | null) => (text === 'yes' ? true : text === 'no' ? false : null);

export const GET = ({ url }) =>
	answer(() => {
		const { db } = runtime();
		const q = url.searchParams;
		const login = q.get('person') ?? '';
		const decision = testAccess(db, {
			login,
			publication: q.get('publication') ?? '',
			at: askedOf(url, runtime()).at,
			address: q.get('address') || null,
			managed: yesNo(q.get('managed')),
			secondFactor: yesNo(q.get('factor')) ?? true
		});
		if (!decision) throw new NotFound(`person with the login ${login}`);
		return json(decision);
	});
