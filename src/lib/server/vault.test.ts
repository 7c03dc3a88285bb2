import { mkdtempSync, readFileSync, rmSync, statSync, writeFileSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { afterEach, beforeEach, describe, expect, test } from 'vitest';
import { vaultIn, vaultOf } from './vault';

describe('the vault', () => {
	const vault = vaultOf(Buffer.alloc(32, 1));

	test('opens what it sealed, for what it was sealed for', () => {
		const sealed = vault.seal('tidal “water”', 'provider a:1');
		expect(vault.open(sealed, 'provider a:1')).toBe('tidal “water”');
		expect(vault.open(sealed, 'provider b:1')).toBeNull();
		expect(vault.open(vault.seal('', 'x'), 'x')).toBe('');
	});

	test('seals the same secret differently each time, and shows nothing of it', () => {
		const [a, b] = [vault.seal('tideline', 'x'), vault.seal('tideline', 'x')];
		expect(a).not.toBe(b);
		expect(Buffer.from(a, 'base64').toString('latin1')).not.toContain('tideline');
	});

	test('another key, a changed byte or a shortened text open nothing', () => {
		const sealed = vault.seal('tideline', 'x');
		expect(vaultOf(Buffer.alloc(32, 2)).open(sealed, 'x')).toBeNull();
		for (const at of [0, 13, 30]) {
			const bytes = Buffer.from(sealed, 'base64');
			bytes[at]! ^= 1;
			expect(vault.open(bytes.toString('base64'), 'x')).toBeNull();
		}
		expect(vault.open(sealed.slice(0, 20), 'x')).toBeNull();
	});
});

describe('the key beside the database', () => {
	let folder: string;
	beforeEach(() => (folder = mkdtempSync(join(tmpdir(), 'vault-'))));
	afterEach(() => {
		delete process.env.SEXTANT_KEY_FILE;
		rmSync(folder, { recursive: true });
	});

	test('is made once, for its owner only, and stays', () => {
		const sealed = vaultIn(folder).seal('tideline', 'x');
		const file = join(folder, 'sextant.key');
		expect(statSync(file).mode & 0o777).toBe(0o600);
		const key = readFileSync(file, 'utf8');
		expect(vaultIn(folder).open(sealed, 'x')).toBe('tideline');
		expect(readFileSync(file, 'utf8')).toBe(key);
	});

	test('may lie elsewhere; one that is no key is refused with its name', () => {
		process.env.SEXTANT_KEY_FILE = join(folder, 'elsewhere');
		const sealed = vaultIn(folder).seal('tideline', 'x');
		expect(vaultIn('/nowhere').open(sealed, 'x')).toBe('tideline');
		writeFileSync(join(folder, 'elsewhere'), 'short');
		expect(() => vaultIn(folder)).toThrow(/elsewhere is no key/);
	});
});
