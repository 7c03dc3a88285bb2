import { unusedTerms } from '$lib/core/scope/scope';
import { WAYS } from '$lib/core/reach/rules';
import { InputProblem } from '$lib/server/plans/kind';
import { hitsView, narrowerAt, unusedRules, usedOf } from '$lib/server/activity';
import { sharedLoad } from '$lib/server/load';
import { personWords } from '$lib/server/directory';
import { asKnown, lookOf } from '$lib/server/moment';
import { planById } from '$lib/server/plans';
import {
	draftedView,
	draftOn,
	editedRule,
	hadToday,
	pickables,
	reachersView,
	rulesView,
	triedReach
} from '$lib/server/reach';
import { runtime } from '$lib/server/runtime';

/** Days before the moment in which what rules decided is counted. */
const HITS = 30;
const LISTS = ['rules', 'tests', 'services', 'categories', 'people'] as const;
const one = <T extends string>(of: readonly T[], given: string | null): T | undefined => of.find((x) => x === given);
const yesNo = (given: string | null) => one(['yes', 'no'] as const, given);

/** What is the same for everybody, whatever is drafted. */
const inForce = sharedLoad(({ url, context, look, at }) => ({
	...rulesView(context.db, at),
	hits: hitsView(context.db, at, HITS),
	unused: unusedRules(context.db, at),
	narrower: narrowerAt(context.db, at),
	list: one(LISTS, url.searchParams.get('list')) ?? 'rules',
	at,
	left: unusedTerms(look.scope.terms)
}));

export const load = async (event) => {
	const q = event.url.searchParams;
	const context = runtime();
	const { db } = context;
	const look = lookOf(event.url, context);
	const at = asKnown(look);
	const asked = Number(q.get('plan'));
	const draft = look.live && Number.isSafeInteger(asked) && asked > 0 ? draftOn(db, planById(db, asked), at) : null;
	const drafted = draft?.wrong === null ? draft : null;
	const make = look.live ? q.get('make') : null;
	const edits = look.live ? q.get('rule') : null;
	return {
		...inForce(event),
		make,
		drafted: drafted && draftedView(db, drafted, at, (d, comparison) => usedOf(db, at, d, comparison)),
		draftWrong: draft?.wrong ?? null,
		saysPlan: drafted !== null,
		editing: q.get('edit'),
		edited: edits === null ? null : editedRule(db, edits, drafted?.book.rules ?? null, at),
		pickables: edits !== null || make === 'rule' || make === 'test' ? pickables(db, at) : null,
		tried: await triedIn(context, q, drafted?.book, look, at),
		reachers: q.get('list') === 'people' ? reachersIn(db, q, at) : null
	};
};

/** Who reaches what was asked for; what is wrong with it; or nothing yet. */
function reachersIn(db: ReturnType<typeof runtime>['db'], q: URLSearchParams, at: number) {
	const service = q.get('service') ?? '';
	const host = (q.get('host') ?? '').trim();
	const what = service ? `service/${service}` : host ? `host/${host}` : '';
	const asked = { service, host, by: q.get('by'), problem: '', found: null as ReturnType<typeof reachersView> | null };
	if (what === '') return asked;
	const offset = Number(q.get('skip') ?? 0);
	try {
		asked.found = reachersView(db, what, asked.by, Number.isSafeInteger(offset) && offset > 0 ? offset : 0, at);
	} catch (e) {
		if (!(e instanceof InputProblem)) throw e;
		asked.problem = e.message;
	}
	return asked;
}

/** What the tester was asked, what is wrong with it by field, and its answers: as rules are, and as a draft would have them. */
async function triedIn(
	context: ReturnType<typeof runtime>,
	q: URLSearchParams,
	book: Parameters<typeof triedReach>[3],
	look: ReturnType<typeof lookOf>,
	at: number
) {
	const { db } = context;
	const login = q.get('who') ?? '';
	const service = q.get('service') ?? '';
	const host = q.get('host') ?? '';
	const size = (q.get('size') ?? '').trim();
	const asked = login !== '' && (service !== '' || host !== '');
	const problems: Record<string, string> = {};
	const tried = {
		person: login,
		what: service.startsWith('channel/')
			? `${service}${size ? ` of ${size}` : ''}`
			: service
				? `service/${service}`
				: `host/${host}`,
		from: q.get('from') || undefined,
		on: q.get('on') || undefined,
		managed: yesNo(q.get('managed')),
		branch: q.get('branch') || undefined,
		firmware: q.get('firmware') || undefined,
		locks: yesNo(q.get('locks')),
		duty: one(['on', 'off'] as const, q.get('duty')),
		holiday: yesNo(q.get('holiday')),
		when: q.get('when') || undefined,
		through: one(WAYS, q.get('through')),
		share: one(['left', 'used'] as const, q.get('share'))
	};
	const had = asked ? await hadToday(context, tried, look) : null;
	const answered = (drafted?: typeof book) => {
		try {
			return asked ? triedReach(db, tried, at, drafted, had) : null;
		} catch (e) {
			if (!(e instanceof InputProblem)) throw e;
			for (const p of e.problems) problems[p.field] = p.words;
			return null;
		}
	};
	return {
		login,
		name: personWords(db, login, at)?.name ?? login,
		service,
		host,
		size,
		problems,
		answer: answered(),
		drafted: book ? answered(book) : null
	};
}
