/** An id that a name gives: small letters and digits, with `-` between them; empty where it has neither. */
export const slug = (text: string): string =>
	text
		.toLowerCase()
		.normalize('NFKD')
		.replaceAll(/[^a-z0-9]+/g, '-')
		.replaceAll(/^-|-$/g, '');
