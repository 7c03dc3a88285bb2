/** How often a step is begun anew. */
const TRIES = 4;

/**
 * Steps to an address, and steps again where that was called off on its way: a view that is asked again in the very moment of a step does
 * so. Whoever has gone somewhere else meanwhile is left there.
 */
export async function surely(
	here: () => string,
	address: string,
	step: (address: string) => Promise<void>
): Promise<void> {
	const from = here();
	if (from === address) return step(address);
	for (let tries = 0; tries < TRIES; tries++) {
		await step(address);
		if (here() !== from) return;
	}
}
