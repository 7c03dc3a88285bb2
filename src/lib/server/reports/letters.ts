import { createRequire } from 'node:module';
import atkinson from '@fontsource/atkinson-hyperlegible-next/unicode.json';
import noto from '@fontsource/noto-sans/unicode.json';

/** What a face has letters for, as ranges of code points; both ends count. */
interface Face {
	name: string;
	normal: string;
	bold: string;
	ranges: readonly (readonly [number, number])[];
}

const require = createRequire(import.meta.url);
const PACKAGES = [
	{ name: 'atkinson-hyperlegible-next', written: atkinson, subsets: ['latin', 'latin-ext'] },
	{
		name: 'noto-sans',
		written: noto,
		subsets: ['latin', 'latin-ext', 'vietnamese', 'greek', 'greek-ext', 'cyrillic', 'cyrillic-ext', 'devanagari']
	}
] as const;

/** Ranges as the packages of fonts write them: `U+0000-00FF,U+0131`. */
export const rangesOf = (written: string): [number, number][] =>
	written.split(',').map((part) => {
		const [from, to = from] = part.trim().slice(2).split('-') as [string, string?];
		return [Number.parseInt(from, 16), Number.parseInt(to, 16)];
	});

let known: readonly Face[] | null = null;

/** The faces that go with Sextant, those that are looked at first first. */
export function faces(): readonly Face[] {
	known ??= PACKAGES.flatMap(({ name, written, subsets }) => {
		const file = (subset: string, weight: number) =>
			require.resolve(`@fontsource/${name}/files/${name}-${subset}-${weight}-normal.woff`);
		return subsets.map((subset) => ({
			name: `${name} ${subset}`,
			normal: file(subset, 400),
			bold: file(subset, 700),
			ranges: rangesOf((written as Record<string, string>)[subset]!)
		}));
	});
	return known;
}

/** What stands for a letter that no face has. */
const NONE = '?';

/** A stretch of text in one face. */
export interface Stretch {
	text: string;
	font: string;
}

const faceFor = (point: number): Face | undefined =>
	faces().find((f) => f.ranges.some(([from, to]) => point >= from && point <= to));

/** Cuts a text into stretches that one face has the letters of. `lost` counts letters that none has: another stands in their stead. */
export function stretches(text: string): { stretches: Stretch[]; lost: number } {
	const found: Stretch[] = [];
	let lost = 0;
	for (const letter of text.normalize('NFC')) {
		const point = letter.codePointAt(0)!;
		const last = found.at(-1);
		// Spaces and what is written over other letters go with what they follow.
		const follows = last && (letter === ' ' || /\p{M}/u.test(letter));
		const face = follows ? null : faceFor(point);
		if (face === undefined) lost++;
		const font = face?.name ?? last?.font ?? faces()[0]!.name;
		const shown = face === undefined ? NONE : letter;
		if (last?.font === font) last.text += shown;
		else found.push({ text: shown, font });
	}
	return { stretches: found, lost };
}
