import type { PlanKind } from './kind';

let byKind: ReadonlyMap<string, PlanKind> | null = null;

/** Every kind of change that there is; `areas.ts` gathers them. */
export function declarePlans(kinds: readonly PlanKind[]): void {
	byKind = new Map(kinds.map((k) => [k.kind, k]));
}

/** The kind of plan with this name, or undefined. */
export function planKindOf(kind: string): PlanKind | undefined {
	if (byKind === null) throw new Error('No area has been gathered: import areas.ts first.');
	return byKind.get(kind);
}
