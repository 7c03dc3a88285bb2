import { asKnown, lookOf, type Look } from './moment';
import { shared } from './moment/shared';
import { runtime, type Runtime } from './runtime';

/** Parts of an address that the frame around a page reads, not the page. */
const OF_THE_FRAME = new Set(['card', 'plan', 'x-sveltekit-invalidated', 'x-sveltekit-trailing-slash']);

interface Asked {
	url: URL;
	context: Runtime;
	look: Look;
	/** The moment that is answered for: the present where the one asked for lies ahead. */
	at: number;
}

/**
 * The data of a page that is the same for whoever asks, by its address and moment alone: worked out once for all of them, and told
 * again when something has changed.
 */
export const sharedLoad =
	<T>(answer: (asked: Asked) => T) =>
	({ url, depends }: { url: URL; depends: (dependency: `${string}:${string}`) => void }): T => {
		depends('sextant:live');
		const context = runtime();
		const look = lookOf(url, context);
		const params = [...url.searchParams].filter(([name]) => !OF_THE_FRAME.has(name)).sort();
		return shared(context, `${url.pathname} ${JSON.stringify(params)}`, look.at, () =>
			answer({ url, context, look, at: asKnown(look) })
		);
	};
