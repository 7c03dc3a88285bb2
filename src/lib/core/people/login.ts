const MOST = 128;
/** What a login is made of: letters and digits of any script, and between them the signs that mail addresses have. */
const LOGIN = /^[\p{L}\p{N}](?:[\p{L}\p{N}\p{M}._@+'-]*[\p{L}\p{N}\p{M}])?$/u;

/** Whether a text can be somebody's login: small letters, digits, and dots, hyphens and the like between them; 128 characters at most. */
export const isPersonLogin = (text: string): boolean =>
	text.length > 0 && text.length <= MOST && text === text.toLowerCase() && LOGIN.test(text);

/** A text as a login is kept: without blanks around it, in small letters, accents put together. */
export const asLogin = (text: string): string => text.trim().normalize('NFC').toLowerCase();
