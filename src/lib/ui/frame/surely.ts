/** How often a step is begun anew. */
const TRIES = 4;

export interface Steps {
	/** Where one is. */
	here(): string;
	/** Where a step that is on its way leads; null where none is. */
	onItsWay(): string | null;
	step(address: string): Promise<void>;
}

/**
 * Steps to an address, and steps again where that was called off on its way: a view that is asked again in the very moment of a step does
 * so. Whoever has gone somewhere else meanwhile is left there, and a later step to somewhere else goes on.
 */
export async function surely({ here, onItsWay, step }: Steps, address: string): Promise<void> {
	const from = here();
	if (from === address) return step(address);
	for (let tries = 0; tries < TRIES; tries++) {
		await step(address);
		const later = onItsWay();
		if (here() !== from || (later !== null && later !== address)) return;
	}
}
