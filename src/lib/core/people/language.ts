/** Whether a text is a language tag (RFC 5646) of at most 35 characters, such as `nb` or `fr-CA`. */
export function isLanguage(text: string): boolean {
	if (text.length > 35) return false;
	try {
		return Intl.getCanonicalLocales(text).length === 1;
	} catch {
		return false;
	}
}
