import { createHash } from 'node:crypto';
import { gzipSync } from 'node:zlib';
import { pack } from 'tar-stream';
import { bareSpec } from '$lib/core/packages/spec';
import { systemOf } from '$lib/core/packages/fits';
import { ROLE, TYPES } from '../packing/oci';

/** Packages as somebody who means no good would make them by hand: every part as given, every digest right. */

export type Entry = [name: string, body?: string | Buffer, head?: object];

export interface Odd {
	spec?: unknown;
	files?: unknown;
	settings?: unknown;
	/** Layers of files, the lowest first. */
	layers?: Entry[][];
	/** More entries of the layer that tells what the package is. */
	more?: Entry[];
	config?: object;
	/** Another layer that says it tells what the package is. */
	twice?: boolean;
}

async function tarOf(entries: Entry[]): Promise<Buffer> {
	const tar = pack();
	for (const [name, body = '', head = {}] of entries) {
		const bytes = Buffer.from(body as string);
		tar.entry({ name, mode: 0o644, mtime: new Date(0), size: bytes.length, ...head } as never, bytes);
	}
	tar.finalize();
	const parts: Buffer[] = [];
	for await (const part of tar) parts.push(part as Buffer);
	return Buffer.concat(parts);
}

const sha = (bytes: Buffer) => createHash('sha256').update(bytes).digest('hex');

/** A description that is right. */
export const rightSpec = () => ({
	...bareSpec('odd', '1.0.0', systemOf('Fjord Desktop 7', 'single'), 1_760_000_000_000),
	targets: []
});

/** The entry of a package's list for one of its files. */
export const listed = (file: string, body = 'x', mode = '0644') => ({
	file,
	kind: 'file',
	size: body.length,
	mode,
	mtime: 0,
	sha256: sha(Buffer.from(body))
});
export const folder = (file: string) => ({ file, kind: 'folder', size: 0, mode: '0755', mtime: 0 });
export const asFolder = { type: 'directory', mode: 0o755, size: 0 };

/** The archive of a package as one tar. */
export async function oddArchive(odd: Odd): Promise<Buffer> {
	const text = (value: unknown) => (typeof value === 'string' ? value : (JSON.stringify(value) ?? ''));
	const definition: Entry[] = [
		['sextant/package.json', text('spec' in odd ? odd.spec : rightSpec())],
		['sextant/files.json', text(odd.files ?? [folder('opt'), listed('opt/x')])],
		['sextant/settings.json', text(odd.settings ?? [])],
		...(odd.more ?? [])
	];
	const layers = [
		...(odd.layers ?? [
			[
				['files/opt', '', asFolder],
				['files/opt/x', 'x']
			] as Entry[]
		]),
		...(odd.twice ? [definition] : []),
		definition
	];
	const raw = await Promise.all(layers.map(tarOf));
	const packed = raw.map((r) => gzipSync(r));
	const config = Buffer.from(
		JSON.stringify({
			created: '2026-01-01T00:00:00Z',
			architecture: 'amd64',
			os: 'linux',
			config: {},
			rootfs: { type: 'layers', diff_ids: raw.map((r) => `sha256:${sha(r)}`) },
			...odd.config
		})
	);
	const role = (i: number) =>
		i === layers.length - 1 || (odd.twice && i === layers.length - 2) ? 'definition' : 'files';
	const manifest = Buffer.from(
		JSON.stringify({
			schemaVersion: 2,
			mediaType: TYPES.manifest,
			config: { mediaType: TYPES.config, digest: `sha256:${sha(config)}`, size: config.length },
			layers: packed.map((p, i) => ({
				mediaType: TYPES.layer,
				digest: `sha256:${sha(p)}`,
				size: p.length,
				annotations: { [ROLE]: role(i) }
			})),
			annotations: {}
		})
	);
	const index = {
		schemaVersion: 2,
		mediaType: TYPES.index,
		manifests: [{ mediaType: TYPES.manifest, digest: `sha256:${sha(manifest)}`, size: manifest.length }]
	};
	return tarOf([
		['oci-layout', JSON.stringify({ imageLayoutVersion: '1.0.0' })],
		['index.json', JSON.stringify(index)],
		...[manifest, config, ...packed].map((b): Entry => [`blobs/sha256/${sha(b)}`, b])
	]);
}
