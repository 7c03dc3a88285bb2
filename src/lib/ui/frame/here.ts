/** Said this often at most, ms. */
const EVERY = 60_000;

/** Tells the server that somebody is there, whenever they do something on the page: a page that is only left open keeps nobody signed in. */
export function tellWhenUsed(): () => void {
	let told = Date.now();
	const used = () => {
		if (Date.now() - told < EVERY) return;
		told = Date.now();
		fetch('/here', { method: 'POST', keepalive: true }).catch(() => {});
	};
	const kinds = ['pointerdown', 'keydown', 'wheel'] as const;
	for (const kind of kinds) window.addEventListener(kind, used, { passive: true });
	return () => {
		for (const kind of kinds) window.removeEventListener(kind, used);
	};
}
