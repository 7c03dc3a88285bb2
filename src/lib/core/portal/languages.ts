/** Languages that the portal speaks, the first where nothing else is asked for. */
export const LANGUAGES = ['en', 'nb', 'fr'] as const;
export type Language = (typeof LANGUAGES)[number];

export const isLanguage = (text: string | undefined): text is Language =>
	(LANGUAGES as readonly (string | undefined)[]).includes(text);

/** A tag that a browser may send, and the language that stands nearest to it. */
const NEAREST: Record<string, Language> = { no: 'nb', nn: 'nb', da: 'nb' };

/**
 * The language for a browser that asks for some, by its order of preference (RFC 9110 §12.5.4): `fr-CA, en;q=0.8` is French. Region
 * does not matter. What cannot be read counts for nothing.
 */
export function languageFor(accepted: string | null): Language {
	const asked = (accepted ?? '')
		.slice(0, 1000)
		.split(',')
		.map((part, i) => {
			const [tag = '', ...parameters] = part.split(';').map((t) => t.trim().toLowerCase());
			const quality = parameters.find((p) => p.startsWith('q='))?.slice(2);
			return { tag: tag.split('-')[0]!, quality: quality === undefined ? 1 : Number(quality), i };
		})
		.filter((a) => a.quality > 0 && a.quality <= 1)
		.sort((a, b) => b.quality - a.quality || a.i - b.i);
	for (const { tag } of asked) {
		const language = isLanguage(tag) ? tag : NEAREST[tag];
		if (language) return language;
	}
	return LANGUAGES[0];
}
