/**
 * Randomness without state: every number is a hash of the seed and of what it is drawn for. Nothing depends on
 * the order in which draws happen, so that the same estate and seed give the same history, to the row.
 */

/** A 32-bit hash of numbers (the finalizer of MurmurHash3, chained). */
export function hash(...parts: number[]): number {
	let h = 0x9e3779b9;
	for (const part of parts) {
		h ^= Math.imul(part | 0, 0x85ebca6b) ^ (part / 4294967296);
		h ^= h >>> 16;
		h = Math.imul(h, 0x85ebca6b);
		h ^= h >>> 13;
		h = Math.imul(h, 0xc2b2ae35);
		h ^= h >>> 16;
	}
	return h >>> 0;
}

/** A number for a name, to be hashed with others (FNV-1a). */
export function hashText(text: string): number {
	let h = 0x811c9dc5;
	for (let i = 0; i < text.length; i++) h = Math.imul(h ^ text.charCodeAt(i), 0x01000193);
	return h >>> 0;
}

/** Uniform in [0, 1). */
export const uniform = (...parts: number[]): number => hash(...parts) / 4294967296;

/** Standard normal (Box and Muller 1958). */
export function normal(...parts: number[]): number {
	const u = Math.max(uniform(...parts, 1), 1e-12);
	return Math.sqrt(-2 * Math.log(u)) * Math.cos(2 * Math.PI * uniform(...parts, 2));
}

/** A factor around 1, log-normal with the given spread. */
export const about = (spread: number, ...parts: number[]): number => Math.exp(spread * normal(...parts));
