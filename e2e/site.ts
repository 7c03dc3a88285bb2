/** Lanes of tests that run side by side, each with a server, a port and a folder of its own; the last two start servers themselves. */
const LANES = { west: 4899, east: 4889, own: 0, kill: 0 } as const;
/** The lane of a run: its tests share an estate, and move its clock. */
export const LANE =
	(Object.keys(LANES) as (keyof typeof LANES)[]).find((l) => l === process.env.SEXTANT_LANE) ?? 'west';
export const PORT = LANES[LANE];
export const BASE = `http://localhost:${PORT}`;
export const DATA = `.sextant/e2e-${LANE}`;
