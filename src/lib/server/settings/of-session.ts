import { effectiveOf } from '$lib/core/settings/effective';
import type { SettingValue } from '$lib/core/settings/kinds';
import { byId } from '$lib/core/settings/own';
import type { Db } from '../db';
import { catalogueIn, settingsAt } from './queries';
import { machineFacts, personFacts, sessionKnown } from './subjects';

/** Whether the name of whoever is on a machine stands across what they see. */
export const isNamedAcross = (db: Db, login: string, machine: string, at: number): boolean =>
	settingOfSession(db, login, machine, 'displays.name-across', at) === true;

/** The value of a setting that counts in a session of somebody on a machine at a moment; undefined where one of these is not there. */
function settingOfSession(
	db: Db,
	login: string,
	machine: string,
	setting: string,
	at: number
): SettingValue | undefined {
	const of = byId(catalogueIn(db)).get(setting);
	const person = personFacts(db, login, at);
	const on = machineFacts(db, machine, at);
	if (!of || !person || !on) return undefined;
	const { under } = sessionKnown(on, person, '', on.name);
	return effectiveOf(settingsAt(db, at).effective('session', under), of).value;
}
