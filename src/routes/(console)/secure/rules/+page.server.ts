import { unusedTerms } from '$lib/core/scope/scope';
import { InputProblem } from '$lib/server/plans/kind';
import { sharedLoad } from '$lib/server/load';
import { personWords } from '$lib/server/directory';
import { rulesView, triedReach } from '$lib/server/reach';
import { WAYS } from '$lib/core/reach/rules';

const LISTS = ['rules', 'tests', 'services', 'categories'] as const;
const one = <T extends string>(of: readonly T[], given: string | null): T | undefined => of.find((x) => x === given);

export const load = sharedLoad(({ url, context, look, at }) => {
	const { db } = context;
	const q = url.searchParams;
	const login = q.get('who') ?? '';
	const service = q.get('service') ?? '';
	const host = q.get('host') ?? '';
	const asked = login !== '' && (service !== '' || host !== '');
	const problems: Record<string, string> = {};
	let answer: ReturnType<typeof triedReach> | null = null;
	if (asked)
		try {
			answer = triedReach(
				db,
				{
					person: login,
					what: service ? `service/${service}` : `site/${host}`,
					from: q.get('from') || undefined,
					managed: one(['yes', 'no'], q.get('managed')),
					duty: one(['on', 'off'], q.get('duty')),
					when: q.get('when') || undefined,
					through: one(WAYS, q.get('through'))
				},
				at
			);
		} catch (e) {
			if (!(e instanceof InputProblem)) throw e;
			for (const p of e.problems) problems[p.field] = p.words;
		}
	return {
		...rulesView(db, at),
		list: one(LISTS, q.get('list')) ?? 'rules',
		make: look.live ? q.get('make') : null,
		at,
		left: unusedTerms(look.scope.terms),
		tried: { login, name: personWords(db, login, at)?.name ?? login, service, host, asked, problems, answer }
	};
});
