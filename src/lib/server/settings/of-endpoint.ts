import { effectiveOf } from '$lib/core/settings/effective';
import type { SettingValue } from '$lib/core/settings/kinds';
import { byId } from '$lib/core/settings/own';
import type { Db } from '../db';
import { catalogueIn, settingsAt } from './queries';
import { endpointKnownAt } from './subjects';

/** The value of a setting that counts on an endpoint at a moment; undefined where there is no such endpoint or setting. */
export function settingOf(db: Db, endpoint: number, setting: string, at: number): SettingValue | undefined {
	const known = endpointKnownAt(db, endpoint, at);
	const of = byId(catalogueIn(db)).get(setting);
	return known && of ? effectiveOf(settingsAt(db, at).effective('endpoint', known.under), of).value : undefined;
}
