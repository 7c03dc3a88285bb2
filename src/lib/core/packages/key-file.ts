/**
 * Files of groups and keys, as the Desktop Entry Specification 1.5 (freedesktop.org, “Basic format of the file”) has them: menu entries,
 * icon themes and D-Bus services are written so. The first of two keys of one name counts, and the first of two groups.
 */
export class KeyFile {
	private readonly groups = new Map<string, Map<string, string>>();

	constructor(text: string) {
		let keys: Map<string, string> | null = null;
		for (const line of text.replace(/^\uFEFF/, '').split(/\r\n|\n|\r/)) {
			if (line.trim() === '' || line.startsWith('#')) continue;
			if (line.startsWith('[')) {
				const end = line.indexOf(']');
				const name = end < 0 ? null : line.slice(1, end);
				keys = null;
				if (name !== null && !this.groups.has(name)) this.groups.set(name, (keys = new Map()));
				continue;
			}
			const cut = line.indexOf('=');
			const key = line.slice(0, cut).trim();
			// A key may bear a locale (`Name[nb]`): that is a key of its own.
			if (keys !== null && cut > 0 && /^[A-Za-z0-9-]+(\[[^[\]]*\])?$/.test(key) && !keys.has(key))
				keys.set(key, line.slice(cut + 1).trim());
		}
	}

	has(group: string): boolean {
		return this.groups.has(group);
	}

	/** A text with its escapes (`\s \n \t \r \\`) resolved; empty where there is none. */
	text(group: string, key: string): string {
		return unescaped(this.groups.get(group)?.get(key) ?? '');
	}

	/** Texts between semicolons, of which `\;` is none; the last may end with one or not. */
	list(group: string, key: string): string[] {
		const parts = (this.groups.get(group)?.get(key) ?? '').match(/(?:[^;\\]|\\[\s\S])+|\\$/g) ?? [];
		return parts.map((p) => unescaped(p.replaceAll('\\;', ';')).trim()).filter((p) => p !== '');
	}

	is(group: string, key: string): boolean {
		return this.groups.get(group)?.get(key) === 'true';
	}

	number(group: string, key: string): number | null {
		const value = this.groups.get(group)?.get(key);
		return value !== undefined && /^\d{1,6}$/.test(value) ? Number(value) : null;
	}
}

const ESCAPES: Record<string, string> = { s: ' ', n: '\n', t: '\t', r: '\r', '\\': '\\' };
const unescaped = (value: string): string => value.replace(/\\([sntr\\])/g, (_all, c: string) => ESCAPES[c]!);
