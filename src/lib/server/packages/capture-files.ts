import { createReadStream, readFileSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { join } from 'node:path';
import type { Claim } from '$lib/core/packages/clashes';
import type { FileEntry, SettingEntry } from '$lib/core/packages/inventory';
import { findTargets, type Startable, type TargetGroup } from '$lib/core/packages/launch';
import { pathMatcher } from '$lib/core/packages/pattern';
import type { Contents } from '$lib/core/packages/spec';
import { ChangeTree, type Choice } from '$lib/core/packages/tree';
import { takenOf, type Compared } from './compare';
import type { Source } from './layout';

/** The changes of a comparison as a tree, with what was chosen. */
export const treeOf = (compared: Pick<Compared, 'changes' | 'sorted'>, choices: readonly Choice[]): ChangeTree =>
	new ChangeTree(compared.changes, compared.sorted, choices, pathMatcher);

/** What a comparison gives a package, by what was chosen. */
export const takenChanges = (compared: Pick<Compared, 'changes' | 'sorted'>, choices: readonly Choice[]) =>
	takenOf(compared.changes, treeOf(compared, choices).takes);

/** Content of captured files from the folder that they lie in. */
export const folderSource = (folder: string): Source => ({
	read: (f: FileEntry) => readFile(join(folder, f.file)),
	open: (f: FileEntry) => createReadStream(join(folder, f.file), { highWaterMark: 1 << 20 })
});

/** Types of files by the command that opens them, lower case, as settings register them. */
export function openedBy(settings: readonly SettingEntry[]): Map<string, string[]> {
	const opens = new Map<string, string[]>();
	for (const s of settings) {
		const type = /\/(?:file types|classes|opens with)\/(\.[^/]+)(?:\/|$)/i.exec(`${s.setting}/`)?.[1];
		const command = /^"?([^"]+?\.\w+)"?(?:\s|$)/.exec(s.value.replaceAll('\\', '/'))?.[1];
		if (!type || !command) continue;
		const list = opens.get(command.toLowerCase());
		if (list) list.push(type);
		else opens.set(command.toLowerCase(), [type]);
	}
	return opens;
}

/** Services and ports that settings register. */
export function registeredBy(settings: readonly SettingEntry[]): { services: string[]; ports: string[] } {
	const services = new Set<string>();
	const ports = new Set<string>();
	for (const s of settings) {
		const service = /\/(?:services|daemons)\/([^/]+)/i.exec(s.setting)?.[1];
		if (service) services.add(service);
		if (/^(port|listen(ing)?( ?port)?)$/i.test(s.name) && /^\d{1,5}$/.test(s.value)) ports.add(s.value);
	}
	return { services: [...services].sort(), ports: [...ports].sort() };
}

/**
 * What the captured files can start.
 * @param there whether a path was there before, on the system that the capture was made on
 */
export function targetsOf(
	contents: Contents,
	read: (f: FileEntry) => Uint8Array,
	there: (path: string) => boolean = () => false
): TargetGroup[] {
	const own = new Set(contents.files.map((f) => f.file.toLowerCase()));
	const startables = contents.files
		.filter((f) => f.kind !== 'folder')
		.map((f): Startable => ({ path: f.file, mode: f.kind === 'link' ? '0755' : f.mode, read: () => read(f) }));
	return findTargets(startables, (path) => own.has(path.toLowerCase()) || there(path), openedBy(contents.settings));
}

/** Reads a captured file from its folder at once: menu entries and shortcuts are small. */
export const readFrom =
	(folder: string) =>
	(f: FileEntry): Uint8Array =>
		readFileSync(join(folder, f.file));

/** Claims of a package, for finding its clashes with others. A service or a port can be one package's only, whatever stands behind it. */
export function* claimsOf(
	files: readonly FileEntry[],
	settings: readonly SettingEntry[],
	targets: readonly { opens: string[]; command: string }[],
	more: { name: string; services: string[]; ports: string[] }
): Generator<Claim> {
	for (const f of files)
		if (f.kind !== 'folder') yield { kind: 'file', what: f.file, content: f.sha256 ?? f.target ?? '' };
	for (const s of settings) yield { kind: 'setting', what: `${s.setting}/${s.name}`, content: `${s.type} ${s.value}` };
	for (const t of targets) for (const type of t.opens) yield { kind: 'file type', what: type, content: t.command };
	for (const service of more.services) yield { kind: 'service', what: service, content: more.name };
	for (const port of more.ports) yield { kind: 'port', what: port, content: more.name };
}
