import { effectiveOf, type EffectiveSettings } from '$lib/core/settings/effective';
import type { SettingValue } from '$lib/core/settings/kinds';
import { underEndpoint, underSession, type PersonFacts } from '$lib/core/settings/reach';
import type { ToldSettings } from '../providers';
import type { Stage } from './stage';
import type { SimEndpoint, SimMachine, SimPerson } from './state';

/** What agents and devices do by the settings that they were told. */

/** Some teams, each with all above it, itself first. */
function waysUp(lab: Stage, teams: readonly string[]): string[][] {
	return teams.filter(Boolean).map((team) => {
		const way: string[] = [];
		for (let t: string | undefined = team; t !== undefined && !way.includes(t); t = lab.teamAbove.get(t)) way.push(t);
		return way;
	});
}

const factsOf = (lab: Stage, p: SimPerson): PersonFacts => ({
	login: p.login,
	site: p.site,
	teams: waysUp(lab, [p.team, ...p.others])
});

/** What counts for somebody's session on a machine. */
export const sessionSettings = (lab: Stage, machine: SimMachine, person: SimPerson): EffectiveSettings =>
	lab.settings.effective('session', underSession(machine, factsOf(lab, person)));

/** What counts for a device: of one that is not let in, what every device has. */
function deviceSettings(lab: Stage, e: SimEndpoint): EffectiveSettings {
	const { branches, endpoints } = lab.world.settings;
	const told = Object.hasOwn(endpoints, e.key) ? endpoints[e.key]! : { id: '', branch: null };
	const branch: string[] = [];
	for (let b: string | null = told.branch; b !== null && !branch.includes(b); b = branches[b] ?? null) branch.push(b);
	const user = e.on ?? e.users[0];
	const person = user === undefined ? undefined : lab.world.people.get(user);
	return lab.settings.effective(
		'endpoint',
		underEndpoint({ id: told.id, site: e.site, branch, person: person ? factsOf(lab, person) : null })
	);
}

const valueOf = (lab: Stage, settings: EffectiveSettings, id: string): SettingValue =>
	effectiveOf(settings, lab.settings.setting(id)!).value;

/** How long a device that nobody is on stays awake, ms; null: for ever. */
export const sleepAfter = (lab: Stage, e: SimEndpoint): number | null =>
	valueOf(lab, deviceSettings(lab, e), 'power.sleep-after') as number | null;

/** Devices that lock by themselves by the settings that were told last: for each, whoever was on it then. */
const locking = new WeakMap<ToldSettings, Map<string, boolean>>();

/** Whether the screen of a device locks by itself. */
export function locksItself(lab: Stage, e: SimEndpoint): boolean {
	let known = locking.get(lab.world.settings);
	if (!known) locking.set(lab.world.settings, (known = new Map()));
	const key = `${e.id}\n${e.on ?? e.users[0] ?? ''}`;
	let locks = known.get(key);
	if (locks === undefined)
		known.set(key, (locks = typeof valueOf(lab, deviceSettings(lab, e), 'lock.after') === 'number'));
	return locks;
}

/** How long a session that was set aside stays open, ms; null: for ever. */
export const endsWhenSetAside = (lab: Stage, machine: SimMachine, person: SimPerson): number | null =>
	valueOf(lab, sessionSettings(lab, machine, person), 'session.end-set-aside') as number | null;
