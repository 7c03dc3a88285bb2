import { effectiveOf } from '$lib/core/settings/effective';
import type { SettingValue } from '$lib/core/settings/kinds';
import { byId } from '$lib/core/settings/own';
import type { Db } from '../db';
import { catalogueIn, settingsAt } from './queries';
import { endpointKnownAt, knownEndpoints } from './subjects';

/** The value of a setting that counts on an endpoint at a moment; undefined where there is no such endpoint or setting. */
export function settingOf(db: Db, endpoint: number, setting: string, at: number): SettingValue | undefined {
	const known = endpointKnownAt(db, endpoint, at);
	const of = byId(catalogueIn(db)).get(setting);
	return known && of ? effectiveOf(settingsAt(db, at).effective('endpoint', known.under), of).value : undefined;
}

/** The value of a setting that counts on each endpoint that is let in at a moment, by its number. */
export function settingOfAll(db: Db, setting: string, at: number): Map<number, SettingValue | undefined> {
	const of = byId(catalogueIn(db)).get(setting);
	const groups = settingsAt(db, at);
	return new Map(
		of
			? knownEndpoints(db, at).map((e) => [Number(e.id), effectiveOf(groups.effective('endpoint', e.under), of).value])
			: []
	);
}
