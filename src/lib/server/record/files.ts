import { createHash, createPublicKey, sign, type KeyObject } from 'node:crypto';
import { pack } from 'tar-stream';
import type { Db } from '../db';
import { InputProblem } from '../plans/kind';
import { linesBetween } from './entries';

/** Bytes that one file of the record holds at most: what is more is taken in spans. */
const MOST = 64e6;

const CHECK = `The record of a Sextant: changes and entries (sign-ins, what was refused, who looked at what somebody did), one line of JSON
each, and the digests of these files, signed with Ed25519 (RFC 8032). To check that nothing of it was altered since it was written out:

  sha256sum -c SHA256SUMS
  openssl pkeyutl -verify -pubin -inkey key.pem -rawin -in SHA256SUMS -sigfile SHA256SUMS.sig

key.pem is the key of that Sextant: compare it with the one that it showed you before. Each line holds the digest of the one before it of
its kind ("before") and its own ("hash"): SHA-256 of its fields as a JSON array, in the order in which they stand, without "of" and "hash".
`;

/**
 * The record between two moments as one tar that whoever gets it can check with common tools: changes and entries as lines of JSON, digests,
 * and a signature of these. Throws InputProblem where it would be too large.
 * @param from ms UTC; `to` is the first moment that is not in it
 */
export async function recordFiles(db: Db, key: KeyObject, from: number, to: number): Promise<Buffer> {
	const lines: string[] = [];
	let size = 0;
	for (const line of linesBetween(db, from, to)) {
		size += line.length;
		if (size > MOST)
			throw new InputProblem([{ field: 'from', words: 'That is too much for one file: take a shorter span.' }]);
		lines.push(line);
	}
	const files: [string, Buffer][] = [
		['record.jsonl', Buffer.from(lines.join(''))],
		['CHECK.txt', Buffer.from(CHECK)],
		['key.pem', Buffer.from(createPublicKey(key).export({ type: 'spki', format: 'pem' }))]
	];
	const sums = Buffer.from(
		files.map(([name, bytes]) => `${createHash('sha256').update(bytes).digest('hex')}  ${name}\n`).join('')
	);
	files.push(['SHA256SUMS', sums], ['SHA256SUMS.sig', sign(null, sums, key)]);
	const tar = pack();
	for (const [name, bytes] of files) tar.entry({ name, mode: 0o600, mtime: new Date(0) }, bytes);
	tar.finalize();
	const parts: Buffer[] = [];
	for await (const part of tar) parts.push(part as Buffer);
	return Buffer.concat(parts);
}
