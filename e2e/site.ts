/**
 * Which of two servers a run asks. `npm test` runs both halves side by side, each with a server, a port and a folder of its own: the tests
 * of one half share its estate, and move its clock.
 */
export const HALF = process.env.SEXTANT_HALF === 'east' ? 'east' : 'west';
export const PORT = HALF === 'east' ? 4889 : 4899;
export const BASE = `http://localhost:${PORT}`;
export const DATA = `.sextant/e2e-${HALF}`;
