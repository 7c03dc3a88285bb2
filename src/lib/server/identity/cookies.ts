/** How the cookies of a sign-in are set: for our own pages alone, and over TLS alone where that is how the page came. */
export const cookieOf = (url: URL) =>
	({ path: '/', httpOnly: true, sameSite: 'lax', secure: url.protocol === 'https:' }) as const;

/** A browser that has signed in is known for so long. */
export const DEVICE_DAYS = 400;
