/** Text as people mean it when they look for it: capitals, accents and width left out, whatever the script. */
export const folded = (text: string): string =>
	text
		.normalize('NFKD')
		.replace(/(\p{Script=Latin})\p{M}+/gu, '$1')
		.normalize('NFC')
		.toLowerCase();

/** Steps from one text to another: a letter put in, taken out or changed (Levenshtein 1966), `most` + 1 at most. */
export function distance(a: string, b: string, most: number): number {
	if (Math.abs(a.length - b.length) > most) return most + 1;
	let row = Array.from({ length: b.length + 1 }, (_v, i) => i);
	for (let i = 1; i <= a.length; i++) {
		const next = [i];
		for (let j = 1; j <= b.length; j++)
			next.push(Math.min(row[j]! + 1, next[j - 1]! + 1, row[j - 1]! + (a[i - 1] === b[j - 1] ? 0 : 1)));
		if (Math.min(...next) > most) return most + 1;
		row = next;
	}
	return row[b.length]!;
}

/** The candidate that a misspelt text is nearest to, or null when none is near. Looks at texts of up to 60 letters. */
export function nearest(text: string, candidates: readonly string[]): string | null {
	const wanted = folded(text).slice(0, 60);
	let best: string | null = null;
	let least = Math.max(1, Math.floor(wanted.length / 3)) + 1;
	for (const candidate of candidates) {
		const other = folded(candidate).slice(0, 60);
		// What it begins with is near, however long it goes on.
		const d = wanted.length >= 3 && other.startsWith(wanted) ? 1 : distance(wanted, other, least - 1);
		if (d < least) [best, least] = [candidate, d];
	}
	return best;
}
