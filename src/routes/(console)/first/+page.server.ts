import { firstWay, nextStep } from '$lib/core/first/way';
import { foundNow } from '$lib/server/first';
import { sharedLoad } from '$lib/server/load';

export const load = sharedLoad(async ({ context }) => {
	const steps = firstWay(await foundNow(context));
	return { steps, next: nextStep(steps)?.name ?? null, demo: context.demo };
});
