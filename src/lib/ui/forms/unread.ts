/** What somebody wrote in a field that could not be made out: it stays as it is, and the form goes no further while it stands there. */
export class Unread {
	constructor(
		readonly written: string,
		/** What to write instead, as a sentence. */
		readonly problem: string
	) {}
}

/** All that could not be made out within an input, by its path, such as `conditions.from`. */
export function unreadIn(input: unknown, path = ''): Record<string, string> {
	if (input instanceof Unread) return { [path]: input.problem };
	if (typeof input !== 'object' || input === null) return {};
	return Object.assign(
		{},
		...Object.entries(input).map(([key, value]) => unreadIn(value, path ? `${path}.${key}` : key))
	) as Record<string, string>;
}
