import { error } from '@sveltejs/kit';
import { AREAS, may, type Area, type Rights } from '$lib/core/access/rights';
import { homeZone } from '$lib/server/capacity';
import { namesAt } from '$lib/server/house/names';
import { noticesOf } from '$lib/server/jobs/notices';
import { cardOf } from '$lib/server/house/cards';
import { setting } from '$lib/server/db';
import { runningJobs } from '$lib/server/jobs';
import { CURVES_EVERY, curvesOf, ribbonOf } from '$lib/server/live/ribbon';
import { asKnown, lookOf } from '$lib/server/moment';
import { shared, standing } from '$lib/server/moment/shared';
import { planById } from '$lib/server/plans';
import { PLAN_KINDS } from '$lib/server/areas';
import { parcel } from '$lib/ui/frame/parcel';
import { partName } from '$lib/server/part';
import { runtime, wholeRuntime } from '$lib/server/runtime';
import { figuresAt } from '$lib/server/watch';

export const load = async ({ url, locals, depends }) => {
	depends('sextant:live');
	const { caller } = locals;
	if (!caller) error(401, 'Sign in first.');
	const context = runtime();
	const { db, clock } = context;
	const look = lookOf(url, runtime());
	const at = asKnown(look);
	const scope = look.scopeText;
	// What everybody sees alike under this scope, at this moment.
	const frame = shared(context, `frame ${scope}`, at, () => ({
		figures: figuresAt(db, look.scope, at),
		estate: setting(db, 'estate') ?? '',
		zone: homeZone(db)
	}));
	const names = shared(context, 'names', at, () => parcel(namesAt(db, at)));
	const jobs = shared(context, 'jobs', look.now, () =>
		runningJobs(db, look.now)
			.filter((j) => j.state !== 'waiting')
			.map((j) => ({ id: j.id, title: j.title, progress: j.progress }))
	);
	const drawn = Math.floor(look.now / CURVES_EVERY) * CURVES_EVERY;
	const curves = standing(context, `curves ${scope}`, drawn, () => curvesOf(db, look.scope, drawn));
	const ribbon = shared(context, `ribbon ${scope}`, look.now, () => parcel(ribbonOf(db, curves, look.now)));
	// Whoever owes a second factor has nothing open.
	const asked = caller.needsFactor ? new URLSearchParams() : url.searchParams;
	const [cardKind, ...cardId] = (asked.get('card') ?? '').split('/');
	const card = cardKind ? await cardOf(context, cardKind, cardId.join('/'), { at, live: look.live }) : null;
	const planId = asked.get('plan');
	const plan = planId ? planById(db, Number(planId)) : null;
	return {
		caller: {
			name: caller.name,
			role: caller.role,
			login: caller.login,
			/** The part of the estate that they are there for, in words; empty: the whole. */
			part: caller.part ? partName(wholeRuntime().db, caller.part) : ''
		},
		theme: locals.theme,
		estate: frame.estate,
		zone: frame.zone,
		look: {
			scope: look.scope,
			scopeText: look.scopeText,
			problems: look.problems,
			at: look.at,
			known: at,
			live: look.live,
			future: look.future
		},
		clock: { now: clock.now(), speed: clock.speed() },
		full: context.health.full,
		figures: frame.figures,
		ribbon,
		names,
		card,
		cardMissing: cardKind !== '' && card === null,
		plan: plan?.state === 'draft' ? plan : null,
		jobs,
		notices: caller.kind === 'operator' ? noticesOf(db, caller.id) : [],
		/** Kinds of plan that this caller may draft, and commit. */
		...mayOf(caller.rights),
		lab: context.bench !== null && may(caller.rights, 'lab', 'read'),
		mayLab: may(caller.rights, 'lab', 'commit')
	};
};

/** Kinds of plan that these rights reach, for drafting and for committing. */
const mayOf = (rights: Rights): { mayDraft: string[]; mayCommit: Area[] } => ({
	mayDraft: PLAN_KINDS.filter((k) => may(rights, k.area, 'draft')).map((k) => k.kind),
	mayCommit: AREAS.filter((a) => may(rights, a, 'commit'))
});
