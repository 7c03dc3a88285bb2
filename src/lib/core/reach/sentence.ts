import { durationWords, MINUTE, sizeWords } from '../time/units';
import { hoursWords, timeOfDay } from '../time/hours';
import { channelWords } from './channels';
import type { AccessRule, Daily, Effect, From, Way, Whom } from './rules';
import type { What } from './targets';

/** What things are called that rules know by their ids. */
export interface Names {
	whom(of: readonly Whom[]): string;
	what(of: readonly What[]): string;
	from(of: readonly From[]): string;
	pools(ids: readonly string[]): string;
	branches(ids: readonly string[]): string;
}

/** Says what is called how; what it does not know is called by its id. */
export function namesBy(
	called: (
		kind: 'team' | 'person' | 'category' | 'service' | 'site' | 'pool' | 'branch',
		id: string
	) => string | undefined
): Names {
	const list = (parts: readonly string[]) => parts.join(', ');
	const name = (kind: Parameters<typeof called>[0], id: string) => called(kind, id) ?? id;
	return {
		whom: (of) => list(of.map((w) => (w.kind === 'employment' ? `${w.id} people` : name(w.kind, w.id)))),
		what: (of) =>
			list(
				of.map((w) => {
					switch (w.kind) {
						case 'web':
							return 'all of the web';
						case 'services':
							return 'all private services';
						case 'site':
							return w.name;
						case 'channels':
							return 'whatever passes a session';
						case 'channel':
							return channelWords(w.id, w.upTo);
						case 'group':
							return `services of ${w.id}`;
						default:
							return name(w.kind, w.id);
					}
				})
			),
		from: (of) => list(of.map((f) => (f.kind === 'network' ? f.range : name('site', f.id)))),
		pools: (ids) => list(ids.map((id) => name('pool', id))),
		branches: (ids) => list(ids.map((id) => name('branch', id)))
	};
}

const WAY_WORDS: Record<Way, string> = {
	device: 'the device’s own network',
	browser: 'the browser alone',
	window: 'an isolated window'
};
export const wayWords = (way: Way): string => WAY_WORDS[way];

const EFFECT_WORDS: Record<Effect, string> = {
	allow: 'Allow',
	reason: 'Ask what for',
	factor: 'Ask for the second factor',
	window: 'In an isolated window',
	refuse: 'Refuse'
};
export const effectWords = (effect: Effect): string => EFFECT_WORDS[effect];

/** `40 MB`, `30 min`, or `40 MB or 30 min`. */
export const amountWords = (d: Daily): string =>
	[
		d.bytes === undefined ? null : sizeWords(d.bytes),
		d.minutes === undefined ? null : durationWords(d.minutes * MINUTE)
	]
		.filter((p) => p !== null)
		.join(' or ');

const DAYS = ['Mon', 'Tue', 'Wed', 'Thu', 'Fri', 'Sat', 'Sun'];
/** `Tue 14:30`, of minutes since Monday 00:00. */
export const momentOfWeek = (minute: number): string =>
	`${DAYS[Math.floor(minute / 1440)]} ${timeOfDay(minute % 1440)}`;

/** What a rule says, without what it decides: `Hydrography · depth store · managed device, from Bergen`. */
export function ruleWords(r: AccessRule, names: Names): string {
	const but = (n: string) => (n === '' ? '' : ` but ${n}`);
	const who = `${r.who.length ? names.whom(r.who) : 'everybody'}${but(names.whom(r.whoNot))}`;
	const what = `${r.what.length ? names.what(r.what) : 'whatever it is'}${but(names.what(r.whatNot))}`;
	const { device, when } = r;
	const terms = [
		r.pools.length ? `on machines of ${names.pools(r.pools)}` : null,
		device.managed ? 'managed device' : null,
		device.branches ? `device in ${names.branches(device.branches)}` : null,
		device.firmware === undefined ? null : `firmware ${device.firmware} or later`,
		device.locks ? 'screen that locks' : null,
		r.from.length ? `from ${names.from(r.from)}` : null,
		when.hours ? hoursWords(when.hours) : null,
		when.duty ? `${when.duty} duty` : null,
		when.holidays === 'only' ? 'on holidays' : when.holidays === 'not' ? 'not on holidays' : null,
		r.how.length ? `through ${r.how.map(wayWords).join(' or ')}` : null,
		r.daily ? `${amountWords(r.daily)} a day each` : null
	].filter((p) => p !== null);
	return [who, what, ...(terms.length ? [terms.join(', ')] : [])].join(' · ');
}
