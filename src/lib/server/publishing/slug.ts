import { createHash } from 'node:crypto';
import { folded } from '$lib/core/text/nearest';

/**
 * An id that a name gives: letters and digits of any script, with `-` between them. A name without either gives one of its own, so that two
 * such names never meet.
 */
export function slug(text: string): string {
	const id = folded(text)
		.split(/[^\p{L}\p{M}\p{N}]+/u)
		.filter(Boolean)
		.join('-')
		.slice(0, 80);
	return id || (text.trim() ? `x-${createHash('sha256').update(text).digest('hex').slice(0, 10)}` : '');
}
