import { createHash } from 'node:crypto';
import { folded } from '$lib/core/text/nearest';

/**
 * An id that a name gives: letters and digits of any script, with `-` between them. A name of pictures alone gives one of its own, so that two
 * such names never meet; one of nothing but punctuation gives none.
 */
export function slug(text: string): string {
	const id = folded(text)
		.split(/[^\p{L}\p{M}\p{N}]+/u)
		.filter(Boolean)
		.join('-')
		.slice(0, 80);
	return id || (/\p{S}/u.test(text) ? `x-${createHash('sha256').update(text).digest('hex').slice(0, 10)}` : '');
}

/**
 * An id of small Latin letters and digits that a name gives and that nothing has yet: of several alike the second ends in 2.
 * @param otherwise what a name gives that has none of those
 */
export function freeSlug(name: string, otherwise: string, isTaken: (id: string) => boolean): string {
	const base =
		slug(name)
			.normalize('NFKD')
			.split(/[^a-z0-9]+/)
			.filter(Boolean)
			.join('-') || otherwise;
	let id = base;
	for (let n = 2; isTaken(id); n++) id = `${base}-${n}`;
	return id;
}
