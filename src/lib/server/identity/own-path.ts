/** A path of our own, as it was asked for; `/` for whatever a browser would read as another site. */
export function ownPath(to: string | null): string {
	if (!to?.startsWith('/')) return '/';
	// Browsers leave tabs and line ends out, and take a backslash for a slash: the address is read as they read it.
	const url = URL.parse(to, 'http://here.invalid');
	return url?.origin === 'http://here.invalid' && url.pathname.startsWith('/') && !url.pathname.startsWith('//')
		? url.pathname + url.search + url.hash
		: '/';
}
