import type { Cookies } from '@sveltejs/kit';
import { isHere, lastDay } from '$lib/core/people/record';
import type { Speaker } from '$lib/core/portal/say';
import type { Context } from '../context';
import type { Db } from '../db';
import { type DirectoryPerson, personCalled, recordOf } from '../directory';
import { DAY } from '$lib/core/time/units';
import { deviceFor, OWN_END, signInPerson } from '../identity/accounts';
import type { Caller } from '../identity/caller';
import { DEVICE_DAYS, putCookie } from '../identity/cookies';
import { signInPolicy } from '../identity/portal';
import { COOKIES } from '../identity/presented';

/** What a browser keeps so that nobody who guesses elsewhere holds it up. */
export const KNOWN_DEVICE = 'sextant-my-device';

/** Whether somebody who has shown who they are may come in now; else why not, in their language. */
export function mayComeIn(person: DirectoryPerson, now: number, say: Speaker): string | null {
	if (isHere(person, now)) return null;
	return now < person.begins
		? say('sign-in.not-yet', { day: say.day(person.begins, person.zone) })
		: say('sign-in.ended', { day: say.day(lastDay(person), person.zone) });
}

/** Whoever is signed in to the portal, as long as they have begun and not ended: nobody stays in beyond their last moment. */
export function stillHere(db: Db, caller: Caller | null, now: number): Caller | null {
	if (caller?.kind !== 'person') return caller;
	const person = personCalled(db, caller.login, now);
	return person && isHere(person, now) ? caller : null;
}

/**
 * Signs somebody in who has shown who they are: sets the cookies of the browser that they did it with.
 * @returns whether it stays signed in, as their own device: 'no' where they asked for it and may not
 */
export function comeIn(
	{ db, vault, clock }: Pick<Context, 'db' | 'vault' | 'clock'>,
	cookies: Cookies,
	url: URL,
	person: { id: number; login: string },
	{ factor, own }: { factor: boolean; own: boolean }
): 'own' | 'as always' | 'no' {
	const policy = signInPolicy(db);
	const employment = recordOf(db, person.login, clock.now())?.employment;
	const may =
		policy.ownDays > 0 &&
		(policy.ownFor.length === 0 || (employment !== undefined && policy.ownFor.includes(employment)));
	const stays = own && may;
	// How long it lasts without use is looked at here, whatever the browser keeps.
	const days = stays ? OWN_END / DAY : undefined;
	putCookie(cookies, url, COOKIES.portal, signInPerson(db, person.id, factor, stays), days);
	putCookie(cookies, url, KNOWN_DEVICE, deviceFor(vault, `my/${person.login}`), DEVICE_DAYS);
	return stays ? 'own' : own ? 'no' : 'as always';
}
