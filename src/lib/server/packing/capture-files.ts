import { closeSync, constants, createReadStream, fstatSync, openSync, readSync, realpathSync } from 'node:fs';
import { readFile } from 'node:fs/promises';
import { dirname, join, sep } from 'node:path';
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
	read: (f: FileEntry) => Uint8Array | null,
	there: (path: string) => boolean = () => false
): TargetGroup[] {
	const own = new Set(contents.files.map((f) => f.file.toLowerCase()));
	const byPath = new Map(contents.files.map((f) => [f.file, f]));
	let links = 0;
	// A link is what it leads to, where that was captured too; what lies elsewhere is not for us to read.
	const follow = (f: FileEntry) => (links++ < LINKS_FOLLOWED ? linkedTo(f, byPath) : null);
	const startables = contents.files.flatMap((f): Startable[] => {
		if (f.kind === 'folder') return [];
		if (f.kind === 'file') return [{ path: f.file, mode: f.mode, read: () => read(f) }];
		return [
			{
				path: f.file,
				mode: '0755',
				read: () => {
					const to = follow(f);
					return to && read(to);
				}
			}
		];
	});
	return findTargets(startables, (path) => own.has(path.toLowerCase()) || there(path), openedBy(contents.settings));
}

/** So many links are followed for one capture: only those of menu entries and the like are asked for. */
const LINKS_FOLLOWED = 5000;
/** A path of more parts leads nowhere that a menu entry would be. */
const PARTS = 200;

/** The captured file that a link leads to, over other links, in what was captured; null where it leads out of that, or around. */
export function linkedTo(link: FileEntry, byPath: ReadonlyMap<string, FileEntry>): FileEntry | null {
	let parts = link.file.split('/');
	// As many as a system follows.
	for (let hops = 0; hops < 40 && parts.length <= PARTS; hops++) {
		// The first part of the path that is a link itself is what the next step replaces.
		const n = parts.findIndex((_p, i) => byPath.get(parts.slice(0, i + 1).join('/'))?.kind === 'link');
		if (n < 0) {
			const found = byPath.get(parts.join('/'));
			return found?.kind === 'file' ? found : null;
		}
		const target = byPath.get(parts.slice(0, n + 1).join('/'))!.target!.replaceAll('\\', '/');
		const whole = target.startsWith('/') || /^[A-Za-z]:\//.test(target);
		const next: string[] = whole ? [] : parts.slice(0, n);
		for (const part of [...target.split('/'), ...parts.slice(n + 1)]) {
			if (part === '' || part === '.') continue;
			if (part !== '..') next.push(part);
			else if (next.pop() === undefined) return null;
		}
		parts = next;
	}
	return null;
}

/** Menu entries, shortcuts, indexes of icon themes and services are no larger. */
const DESCRIBING = 1 << 20;

/**
 * Reads a captured file from its folder at once; null for what is not there, is no file of its own, is larger than what describes a start,
 * or would be reached by a link out of the folder.
 */
export const readFrom = (folder: string) => {
	let root: string | null = null;
	return (f: FileEntry): Uint8Array | null => {
		let file: number | null = null;
		try {
			root ??= realpathSync(folder);
			const path = join(root, f.file);
			const at = realpathSync(dirname(path));
			if (at !== root && !at.startsWith(root + sep)) return null;
			file = openSync(path, constants.O_RDONLY | constants.O_NOFOLLOW | constants.O_NONBLOCK);
			const stat = fstatSync(file);
			if (!stat.isFile() || stat.size > DESCRIBING) return null;
			const bytes = new Uint8Array(stat.size);
			return bytes.subarray(0, readSync(file, bytes, 0, bytes.length, 0));
		} catch {
			return null;
		} finally {
			if (file !== null) closeSync(file);
		}
	};
};

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
