declare module 'ldif' {
	/** Reads LDIF; throws at the first thing that is wrong. */
	const ldif: { parse(text: string): { entries: unknown[] } };
	export default ldif;
}
