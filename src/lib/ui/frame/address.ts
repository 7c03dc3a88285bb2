/** The parts of an address that every view keeps: scope, moment, card and plan. */
export interface Parts {
	scope?: string | null;
	at?: number | null;
	card?: string | null;
	plan?: number | null;
	[other: string]: string | number | null | undefined;
}

const KEPT = ['scope', 'at', 'card', 'plan'];

/**
 * The address with some parts changed; null drops a part. `path` leads to another view, which keeps scope, moment
 * and plan, but not the card nor what belongs to the view left behind.
 */
export function addressWith(url: URL, parts: Parts, path?: string): string {
	const next = new URLSearchParams();
	for (const [key, value] of url.searchParams) {
		if (path === undefined || path === url.pathname || (KEPT.includes(key) && key !== 'card')) next.set(key, value);
	}
	for (const [key, value] of Object.entries(parts)) {
		if (value === undefined) continue;
		if (value === null || value === '') next.delete(key);
		else
			next.set(
				key,
				key === 'at' && typeof value === 'number' ? new Date(value).toISOString().replace('.000Z', 'Z') : String(value)
			);
	}
	const query = next.toString().replaceAll('%3A', ':').replaceAll('%2F', '/').replaceAll('%2C', ',');
	return (path ?? url.pathname) + (query ? `?${query}` : '');
}
