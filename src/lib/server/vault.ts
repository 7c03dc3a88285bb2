import { createCipheriv, createDecipheriv, hkdfSync, randomBytes } from 'node:crypto';
import { existsSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';

/** Keeps secrets of the outside: sealed where they are stored, open only where they are used. */
export interface Vault {
	/** Seals a secret. `about` says what it is for: it opens for the same only. */
	seal(secret: string, about: string): string;
	/** Opens it again; null when the key is another one, or the text was tampered with. */
	open(sealed: string, about: string): string | null;
	/** 32 bytes that follow from its key, for one use alone: others learn neither the key nor those of another use from them. */
	derive(about: string): Buffer;
}

const NONCE = 12;
const TAG = 16;

/** A vault over a key of 32 bytes: AES-256-GCM (NIST SP 800-38D), a fresh nonce for each secret; HKDF with SHA-256 (RFC 5869) for what follows from it. */
export function vaultOf(key: Buffer): Vault {
	return {
		derive: (about) => Buffer.from(hkdfSync('sha256', key, '', `sextant ${about}`, 32)),
		seal(secret, about) {
			const nonce = randomBytes(NONCE);
			const cipher = createCipheriv('aes-256-gcm', key, nonce).setAAD(Buffer.from(about));
			const body = Buffer.concat([cipher.update(secret, 'utf8'), cipher.final()]);
			return Buffer.concat([nonce, cipher.getAuthTag(), body]).toString('base64');
		},
		open(sealed, about) {
			const bytes = Buffer.from(sealed, 'base64');
			if (bytes.length < NONCE + TAG) return null;
			const decipher = createDecipheriv('aes-256-gcm', key, bytes.subarray(0, NONCE))
				.setAAD(Buffer.from(about))
				.setAuthTag(bytes.subarray(NONCE, NONCE + TAG));
			try {
				return decipher.update(bytes.subarray(NONCE + TAG), undefined, 'utf8') + decipher.final('utf8');
			} catch {
				return null;
			}
		}
	};
}

/** The vault whose key lies beside the database, readable for its owner only; a new one where there is none yet. */
export function vaultIn(folder: string): Vault {
	const file = process.env.SEXTANT_KEY_FILE ?? join(folder, 'sextant.key');
	if (!existsSync(file)) writeFileSync(file, `${randomBytes(32).toString('base64')}\n`, { mode: 0o600, flag: 'wx' });
	const key = Buffer.from(readFileSync(file, 'utf8').trim(), 'base64');
	if (key.length !== 32) throw new Error(`${file} is no key: it has to hold 32 bytes in base64`);
	return vaultOf(key);
}
