import { reachBy, stillAsked } from './decide';
import {
	OTHERWISE,
	type AccessRule,
	type Circumstances,
	type Effect,
	type Otherwise,
	type Reacher,
	type Used
} from './rules';
import { Catalogue, type Service, type Target } from './targets';
import { World } from './world';

/**
 * Rules as they are told to endpoints, sessions and inner gateways, which hold them and decide by themselves while Sextant is away: plain values.
 */
export interface ToldRules {
	rules: readonly AccessRule[];
	otherwise: Otherwise;
	services: readonly Service[];
	/** Names of web sites, each with its category. */
	names: readonly (readonly [name: string, category: string])[];
	/** Ranges of addresses by site. */
	sites: Readonly<Record<string, readonly string[]>>;
	/** Each branch with all above it, itself first. */
	branches: Readonly<Record<string, readonly string[]>>;
	/** Holidays by site, as YYYY-MM-DD. */
	holidays: Readonly<Record<string, readonly string[]>>;
	/** Hosts that are reached before anybody has signed in: where they sign in. */
	portal: readonly string[];
}

/** What somebody has given so far of what rules may ask for. */
export interface Given {
	factor: boolean;
	reason: boolean;
}

/** What becomes of a wish to reach something. */
export interface Verdict {
	through: boolean;
	effect: Effect;
	/** The rule that decided; `OTHERWISE` where none did. */
	rule: string;
	/** What they are told; null where the rule has no words. */
	words: string | null;
	/** What is still asked of them; null: nothing, or they are refused. `sign in`: nobody is known to be there. */
	asked: 'sign in' | 'factor' | 'reason' | 'window' | null;
}

/** Nobody is known to be there: nothing is reached but where one signs in. */
const NOBODY: Verdict = {
	through: false,
	effect: 'refuse',
	rule: OTHERWISE,
	words: 'Sign in first: nothing is reached before it is known who you are.',
	asked: 'sign in'
};
const PORTAL: Verdict = { through: true, effect: 'allow', rule: OTHERWISE, words: null, asked: null };

/** What stands at each door: lets through, or not, by the rules that it was told last. */
export class Guard {
	readonly world: World;
	/** Rules that give so much a day. */
	readonly daily: ReadonlySet<string>;
	private readonly portal: ReadonlySet<string>;

	constructor(readonly told: ToldRules) {
		this.portal = new Set(told.portal);
		this.daily = new Set(told.rules.flatMap((r) => (r.daily ? [r.id] : [])));
		this.world = new World(told.rules, told.otherwise, {
			catalogue: new Catalogue(new Map(told.names)),
			services: told.services,
			sites: new Map(Object.entries(told.sites)),
			branches: new Map(Object.entries(told.branches))
		});
	}

	/** Whether a day of a site, as YYYY-MM-DD, is a holiday there. */
	isHoliday = (site: string, day: string): boolean =>
		Object.hasOwn(this.told.holidays, site) && this.told.holidays[site]!.includes(day);

	/**
	 * What becomes of a wish.
	 * @param person null: nobody is known to be there
	 * @param used what they have had of a rule today; undefined: nothing
	 */
	decide(
		person: Reacher | null,
		target: Target,
		c: Circumstances,
		given: Given,
		used: (rule: AccessRule) => Used | undefined
	): Verdict {
		if (target.kind === 'site' && this.portal.has(target.host)) return PORTAL;
		if (!person) return NOBODY;
		const { effect, rule, words } = reachBy(this.world, person, target, c, used);
		const asked = stillAsked(effect, c.way, given);
		return { through: effect !== 'refuse' && asked === null, effect, rule, words, asked };
	}
}
