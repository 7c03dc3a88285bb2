/**
 * Which of two servers a run asks. `npm test` runs both halves side by side, each with a server, a port and a folder of its own: the tests
 * of one half share its estate, and move its clock. What starts servers of its own, and what ends them hard, ask neither.
 */
export const HALF = (['east', 'own', 'kill'] as const).find((h) => h === process.env.SEXTANT_HALF) ?? 'west';
export const PORT = HALF === 'east' ? 4889 : 4899;
export const BASE = `http://localhost:${PORT}`;
export const DATA = `.sextant/e2e-${HALF}`;
