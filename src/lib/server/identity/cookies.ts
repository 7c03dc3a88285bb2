/** What is kept in a browser by SvelteKit, as far as it is needed here. */
interface Jar {
	get(name: string): string | undefined;
	set(name: string, value: string, options: Options & { maxAge?: number }): void;
	delete(name: string, options: Options): void;
}
interface Options {
	path: string;
	httpOnly: boolean;
	sameSite: 'lax';
	secure: boolean;
}

/** A browser that has signed in is known for so long. */
export const DEVICE_DAYS = 400;

/** How cookies are set: for our own pages alone, and over TLS alone where that is how the page came. */
const optionsOf = (url: URL): Options => ({
	path: '/',
	httpOnly: true,
	sameSite: 'lax',
	secure: url.protocol === 'https:'
});

/** Over TLS a cookie has a name that neither another host nor a page without TLS can set (`__Host-`, RFC 6265bis, 4.1.3.2). */
export const tlsName = (name: string): string => `__Host-${name}`;
const nameOf = (name: string, url: URL) => (url.protocol === 'https:' ? tlsName(name) : name);

export const cookieIn = (jar: Jar, url: URL, name: string): string | null => jar.get(nameOf(name, url)) ?? null;

/** Keeps a value in the browser: for `days`, or as long as the browser is open. */
export const putCookie = (jar: Jar, url: URL, name: string, value: string, days?: number): void =>
	jar.set(nameOf(name, url), value, {
		...optionsOf(url),
		...(days === undefined ? {} : { maxAge: Math.round(days * 86_400) })
	});

export const dropCookie = (jar: Jar, url: URL, name: string): void => jar.delete(nameOf(name, url), optionsOf(url));

/** Sent as somebody signs out: the browser lets go of what it has kept of our pages and pictures. */
export const FORGET = { 'clear-site-data': '"cache"' };
