import type { StepHandler } from './step';

let handlers: Readonly<Record<string, StepHandler>> | null = null;

/** Every kind of step, by name; `areas.ts` gathers them. */
export function declareSteps(all: Readonly<Record<string, StepHandler>>): void {
	handlers = all;
}

/** The handlers of all kinds of steps. */
export function stepHandlers(): Readonly<Record<string, StepHandler>> {
	if (handlers === null) throw new Error('No area has been gathered: import areas.ts first.');
	return handlers;
}
