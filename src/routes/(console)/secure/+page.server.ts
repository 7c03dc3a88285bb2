import { conditionsWords } from '$lib/core/access/decide';
import { channelOf, channelWords } from '$lib/core/reach/channels';
import { DAY, sizeWords } from '$lib/core/time/units';
import { wallTime } from '$lib/core/time/zone';
import { instantOf, localMoment } from '$lib/core/time/written';
import { homeZone } from '$lib/server/capacity';
import { refusalsBetween, testAccess } from '$lib/server/access';
import { personCalled, personWords } from '$lib/server/directory';
import { passingOf } from '$lib/server/reach';
import { sharedLoad } from '$lib/server/load';
import { unusedTerms } from '$lib/core/scope/scope';
import { grantsIn, landingOf } from '$lib/server/publishing';
import { publicationsAt } from '$lib/server/publications';

const yesNo = (text: string | null) => (text === 'yes' ? true : text === 'no' ? false : null);

/** Of the channels that a grant gives, what access rules keep back on the machines that it opens, by way: in words. */
function keptBack(
	db: Parameters<typeof testAccess>[0],
	{ request, value }: NonNullable<ReturnType<typeof testAccess>>,
	publication: string,
	at: number
): { words: string; rule: string }[] {
	const person = personCalled(db, request.personId, at);
	if (!person) return [];
	const { weekday, minute } = wallTime(request.zone, request.at);
	const pool = publicationsAt(db, at).find((p) => p.id === publication)?.pools[0] ?? null;
	return passingOf(
		db,
		person,
		at,
		{
			address: request.address || null,
			managed: request.device.certificate === 'good',
			minute: (weekday - 1) * 1440 + minute,
			pool
		},
		request.secondFactor
	).flatMap((p) =>
		p.upTo === null || !value.channels.includes(channelOf(p.passage))
			? []
			: [
					{
						words: `${channelWords(p.passage)}${p.upTo === 0 ? '' : ` beyond ${sizeWords(p.upTo)} at once`}`,
						rule: p.rule
					}
				]
	);
}

export const load = sharedLoad(({ url, context, look, at }) => {
	const { db } = context;
	const q = url.searchParams;
	const login = q.get('who') ?? '';
	const publication = q.get('what') ?? '';
	// The tester may ask about a time of its own, the future included: conditions are known for every hour.
	const asked = q.get('when') ?? '';
	const zone = homeZone(db);
	// With its zone, as in an address that somebody made; else as the form has it, on the clock at home.
	const zoned = /[zZ]$|[+-]\d\d:?\d\d$/.test(asked);
	const when = asked === '' ? look.at : zoned ? Date.parse(asked) : (instantOf(asked, zone) ?? Number.NaN);
	const tested =
		login && publication
			? testAccess(db, {
					login,
					publication,
					at: Number.isNaN(when) ? look.at : when,
					address: q.get('from') || null,
					managed: yesNo(q.get('managed')),
					secondFactor: q.get('factor') !== 'no'
				})
			: null;
	const landing = tested?.value.allowed ? landingOf(db, login, publication, at) : null;
	const { items: grants, left } = grantsIn(db, look.scope, at);
	const refused = refusalsBetween(db, at - DAY, at);
	return {
		left: unusedTerms(left),
		grants: grants.map((g) => ({
			...g,
			words: conditionsWords(g.conditions),
			refused: refused.get(g.publication) ?? 0
		})),
		publications: publicationsAt(db, at).map((p) => ({ id: p.id, name: p.internalName })),
		test: {
			login,
			name: personWords(db, login, at)?.name ?? login,
			publication,
			when: Number.isNaN(when) ? look.at : when,
			asked: login !== '' && publication !== '',
			badTime: Number.isNaN(when),
			/** As the form shows it. */
			written: asked === '' || Number.isNaN(when) ? asked : localMoment(zone, when),
			zone,
			answer: tested,
			/** Where they would land now, or then, as far as it is known. */
			landing,
			/** What of the channels that it gives rules keep back. */
			kept: tested?.value.allowed ? keptBack(db, tested, publication, at) : []
		}
	};
});
