/** What is made as it is first asked for, once for all who ask meanwhile. What failed is tried again by whoever asks next. */
export function lazily<T>(make: () => Promise<T>): () => Promise<T> {
	let made: Promise<T> | null = null;
	return () =>
		(made ??= make().catch((e: unknown) => {
			made = null;
			throw e;
		}));
}
