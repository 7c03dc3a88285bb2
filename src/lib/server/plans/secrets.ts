import type { Vault } from '../vault';

/** What stands in place of a secret, in plans and steps: sealed, for whoever has the key of the vault. */
const SEALED = 'sealed:';
const ABOUT = 'secret of a plan';
/** What people and programs see of it. */
const SHOWN = '(kept secret)';

/** The input with its secret fields sealed; those that are sealed already stay as they are. */
export function sealSecrets(vault: Vault, input: unknown, fields: readonly string[]): unknown {
	if (typeof input !== 'object' || input === null) return input;
	const sealed: Record<string, unknown> = { ...input };
	for (const field of fields) {
		const value = sealed[field];
		if (typeof value === 'string' && openSecret(vault, value) === null)
			sealed[field] = SEALED + vault.seal(value, ABOUT);
	}
	return sealed;
}

/** A secret of a plan, opened; null where it is none. */
export const openSecret = (vault: Vault, value: string): string | null =>
	value.startsWith(SEALED) ? vault.open(value.slice(SEALED.length), ABOUT) : null;

/** Whether a value is a secret that is sealed. */
export const isSealed = (value: string): boolean => value.startsWith(SEALED);

/** The same value with every secret in it hidden. */
export function hideSecrets<T>(value: T): T {
	return JSON.parse(
		JSON.stringify(value ?? null, (_key, v: unknown) => (typeof v === 'string' && isSealed(v) ? SHOWN : v))
	) as T;
}
