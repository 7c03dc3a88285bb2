import type { Db } from '../db';
import { callerOfSignIn, callerOfToken } from './accounts';
import type { Caller } from './caller';
import { tlsName } from './cookies';

/** The cookies of a sign-in, of the console and of the portal. */
export const COOKIES = { console: 'sextant', portal: 'sextant-my' } as const;

/** The language that somebody has chosen for the portal in this browser. */
export const LANGUAGE_COOKIE = 'sextant-language';

export const isPortal = (path: string): boolean => path === '/my' || path.startsWith('/my/');

/** The token of an `Authorization` header; null where it is none, or of another kind. */
export const bearerOf = (authorization: string): string | null => /^Bearer (.+)$/.exec(authorization)?.[1] ?? null;

/** Who sends a request, by its token or else the cookie of the part that it goes to; null for a stranger. Keeps nobody signed in. `at`: ms UTC of the estate. */
export function callerOfRequest(
	db: Db,
	path: string,
	headers: { authorization?: string | undefined; cookie?: string | undefined },
	at: number
): Caller | null {
	const token = bearerOf(headers.authorization ?? '');
	if (token !== null) return callerOfToken(db, token, at);
	const name = isPortal(path) ? COOKIES.portal : COOKIES.console;
	const sent = new Map(
		headers.cookie?.split(';').map((part) => {
			const [key = '', value = ''] = part.trim().split('=', 2);
			return [key, value] as const;
		})
	);
	const signIn = sent.get(tlsName(name)) ?? sent.get(name);
	return signIn ? callerOfSignIn(db, signIn, false, at) : null;
}
