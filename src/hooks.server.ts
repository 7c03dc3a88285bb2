import { isLanguage, languageFor } from '$lib/core/portal/languages';
import { PROBLEMS } from '$lib/core/why/problems';
import { randomUUID } from 'node:crypto';
import { logOf } from '$lib/server/log';
import { json, redirect, type Handle, type HandleServerError } from '@sveltejs/kit';
import { callerOfSignIn, callerOfToken } from '$lib/server/identity/accounts';
import { isStorage } from '$lib/server/db/storage';
import { ThreadLost } from '$lib/server/providers/remote';
import { cookieIn } from '$lib/server/identity/cookies';
import { bearerOf, COOKIES, isPortal, LANGUAGE_COOKIE } from '$lib/server/identity/presented';
import { isStream } from '$lib/server/calls/endpoint';
import { mayAsk } from '$lib/server/calls/need';
import { endpointFor } from '$lib/server/house/endpoints';
import { sayWork } from '$lib/server/process';
import { mayRequest } from '$lib/server/house/routes';
import { problem, problemResponse, roleTooSmall } from '$lib/server/api/problems';
import { stillHere } from '$lib/server/portal';
import { note } from '$lib/server/record';
import { NOTHING } from '$lib/server/part';
import { runtime, seeing } from '$lib/server/runtime';

const log = logOf('pages');
sayWork((method, path) => endpointFor(method, path)?.endpoint.work);

/** The route that all declared endpoints stand behind. */
const API = '/api/v1/[...path]';
/** Where somebody may be who has not shown the second factor that their role asks for. */
const WITHOUT_FACTOR = new Set(['/(console)/settings', '/passkey', '/sign-out', '/sign-in', '/here', '/live']);
/** What a page says while nothing can be written. */
const FULL = {
	message: PROBLEMS['disk-full'].title,
	safe: 'Nothing was changed, and everything can be read.',
	advice: 'Make room on the disk of the data folder, and try again.'
};
/** The policy of what is no page: pictures have their own styles, and nothing else. */
const BARE =
	"default-src 'none'; style-src 'unsafe-inline'; base-uri 'none'; form-action 'none'; frame-ancestors 'none'";
/** The most that any other body may hold, bytes. */
const BODY = 1 << 19;

export const handle: Handle = async ({ event, resolve }) => {
	const { db, health, clock } = runtime();
	const path = event.url.pathname;
	const portal = isPortal(path);
	const api = path.startsWith('/api/');
	// Programs that tell of people say who they are by a token alone, and are answered in their own way.
	const scim = path.startsWith('/scim/');
	// Calendars cannot send a header: their feed alone takes its token from the address.
	const inAddress = path === '/api/v1/calendar.ics' ? event.url.searchParams.get('token') : null;
	const bearer = bearerOf(event.request.headers.get('authorization') ?? (inAddress ? `Bearer ${inAddress}` : ''));
	const cookie = cookieIn(event.cookies, event.url, portal ? COOKIES.portal : COOKIES.console);
	// What a page asks for by itself (its data, the live stream) keeps nobody signed in: somebody has to be there.
	const byItself = event.isDataRequest || path === '/live' || path.endsWith('/progress');
	event.locals.caller =
		bearer !== null
			? callerOfToken(db, bearer, clock.now())
			: cookie && !scim
				? stillHere(db, callerOfSignIn(db, cookie, !byItself, clock.now()), clock.now())
				: null;
	event.locals.number = randomUUID().slice(0, 8);
	event.locals.theme = event.cookies.get('theme') === 'night' ? 'night' : 'day';
	const chosen = cookieIn(event.cookies, event.url, LANGUAGE_COOKIE) ?? undefined;
	event.locals.language = !portal
		? 'en'
		: isLanguage(chosen)
			? chosen
			: languageFor(event.request.headers.get('accept-language'));

	// A cookie is sent along from any page: what changes something must come from our own.
	if (event.request.method !== 'GET' && event.request.method !== 'HEAD' && bearer === null && !scim) {
		const origin = event.request.headers.get('origin');
		const host = event.request.headers.get('host');
		if (!origin || URL.parse(origin)?.host !== host) return secure(problemResponse(problem('origin')), event.url);
	}

	const endpoint = event.route.id === API ? endpointFor(event.request.method, path)?.endpoint : undefined;
	// What is streamed to a file has a cap of its own.
	if (!(isStream(endpoint?.body) && endpoint.body.upload)) {
		const length = event.request.headers.get('content-length');
		const unknown = length === null && event.request.headers.has('transfer-encoding');
		// The body is not read: the connection that it would come on ends with the answer.
		if (unknown || !(Number(length ?? 0) <= BODY))
			return secure(
				problemResponse(problem('too-large', 'A body holds at most 512 KB, and says its length first.'), {
					connection: 'close'
				}),
				event.url
			);
	}

	if (health.full && event.request.method !== 'GET' && event.request.method !== 'HEAD') {
		if (event.request.headers.get('x-sveltekit-action') === 'true')
			return secure(json({ type: 'error', status: 507, error: FULL }, { status: 507 }), event.url);
		return secure(problemResponse(problem('disk-full')), event.url);
	}

	// Whoever has a second factor to show first sees to that, and to nothing else.
	const first = event.locals.caller?.needsFactor ?? false;
	if (first && event.route.id !== null && !WITHOUT_FACTOR.has(event.route.id)) {
		if (api) return secure(problemResponse(problem('factor-first')), event.url);
		redirect(303, '/settings?first=factor');
	}

	// A route that does not exist is told apart from one that is shut.
	if (event.route.id !== null && !first) {
		const rights = event.locals.caller?.rights ?? null;
		// Where the API has nothing, it says so itself.
		const verdict =
			event.route.id !== API
				? mayRequest(event.route.id, event.request.method, rights)
				: endpoint
					? mayAsk(endpoint.need, rights)
					: 'yes';
		if (verdict === 'sign in') {
			if (api || path === '/live') return secure(problemResponse(problem('sign-in')), event.url);
			redirect(303, `${portal ? '/my/sign-in' : '/sign-in'}?to=${encodeURIComponent(path + event.url.search)}`);
		}
		if (verdict === 'no') {
			const { caller } = event.locals;
			if (caller && caller.kind !== 'person')
				note(db, clock.now(), {
					kind: 'refused',
					who: caller.name,
					role: caller.role,
					words: `${event.request.method} ${path}: the role does not reach that far`,
					address: event.getClientAddress(),
					good: false
				});
			if (!api && caller?.role === 'person') redirect(303, '/my');
			return secure(problemResponse(roleTooSmall(caller?.role ?? 'a guest')), event.url);
		}
	}
	// Whoever has done something sees what it did.
	if (event.request.method !== 'GET' && path !== '/here') runtime().clock.next?.();
	const response = await seeing(first ? NOTHING : (event.locals.caller?.part ?? null), () =>
		resolve(event, {
			transformPageChunk: ({ html }) =>
				html.replace('%sextant.theme%', event.locals.theme).replace('%sextant.language%', event.locals.language)
		})
	);
	if (event.request.method !== 'GET' && path !== '/here') runtime().clock.next?.();
	return secure(response, event.url);
};

function secure(response: Response, url: URL): Response {
	if (url.protocol === 'https:')
		response.headers.set('Strict-Transport-Security', 'max-age=31536000; includeSubDomains');
	// What is no page of ours runs nothing and loads nothing, wherever it is opened.
	if (!response.headers.has('content-security-policy')) response.headers.set('Content-Security-Policy', BARE);
	response.headers.set('X-Content-Type-Options', 'nosniff');
	response.headers.set('X-Frame-Options', 'DENY');
	response.headers.set('Referrer-Policy', 'same-origin');
	response.headers.set('Cross-Origin-Opener-Policy', 'same-origin');
	response.headers.set('Cross-Origin-Resource-Policy', 'same-origin');
	response.headers.set('Permissions-Policy', 'camera=(), microphone=(), geolocation=()');
	if (!response.headers.has('cache-control')) response.headers.set('Cache-Control', 'no-store');
	return response;
}

export const handleError: HandleServerError = ({ error, event, status, message }) => {
	if (status === 404)
		return {
			message: 'There is nothing at this address.',
			safe: 'Nothing was changed.',
			advice: 'Go to Today, or go back.'
		};
	if (status < 500) return { message, safe: 'Nothing was changed.' };
	if (isStorage(error)) return FULL;
	if (error instanceof ThreadLost)
		return {
			message: 'A part of Sextant is being started anew.',
			safe: 'Nothing was changed.',
			advice: 'Try again in a moment.'
		};
	log.error(
		// What stands in the link of an invitation lets somebody in: it is in no log.
		{
			request: event.locals.number,
			address: event.params.token === undefined ? event.url.pathname : event.route.id,
			err: error
		},
		'a page met what nobody foresaw'
	);
	return {
		message: status === 500 ? 'Something went wrong on our side.' : message,
		safe: 'Nothing was changed.',
		advice: `Try again; if it happens again, the server’s log has the details, under request ${event.locals.number}.`
	};
};
