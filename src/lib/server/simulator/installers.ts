import { createHash } from 'node:crypto';
import type { Estate } from '$lib/core/estate/schema';
import { systemOf } from '$lib/core/packages/fits';
import {
	byKey,
	inventoryLine,
	type FileEntry,
	type InventoryEntry,
	type SettingEntry,
	type SystemKind
} from '$lib/core/packages/inventory';
import type { LaunchTarget } from '$lib/core/packages/launch-target';
import { systemHome } from '$lib/core/packages/system-folders';
import { DAY, MINUTE } from '$lib/core/time/units';
import type { TargetRun } from '$lib/core/packages/trial';
import { ProviderError, type TrialAsk } from '../providers';
import { about, hashText, uniform } from './random';
import { startTime } from './starting';
import type { Needed, SimCaptureMachine, World } from './state';

export type SimInstaller = Estate['installers'][number];

/** What an inventory is made of: the machine as it was at that moment. */
export interface Look extends Pick<SimCaptureMachine, 'name' | 'line' | 'version' | 'installed' | 'pending' | 'set'> {
	look: number;
	at: number;
}

export function captureMachine(w: World, name: string): SimCaptureMachine {
	const m = w.captures.get(name);
	if (!m) throw new ProviderError(`there is no machine ${name} to capture on`, false);
	return m;
}

export function installerOf(estate: Estate, id: string): SimInstaller {
	const found = estate.installers.find((i) => i.id === id);
	if (!found) throw new ProviderError(`there is no installer ${id}`, false);
	return found;
}

/** The system that a line's machines have. */
export function systemOfLine(estate: Estate, line: string): SystemKind {
	const l = estate.image_lines.find((x) => x.id === line);
	if (!l) throw new ProviderError(`there is no image line ${line}`, false);
	return systemOf(l.system, l.users);
}

/** Runs an installer: what it prints, and whether it wants a restart. */
export function install(estate: Estate, w: World, machine: string, id: string): { exitCode: number; log: string[] } {
	const m = captureMachine(w, machine);
	const installer = installerOf(estate, id);
	const system = systemOfLine(estate, m.line);
	const wanted = systemOf(installer.system, installer.users);
	if (wanted.name !== system.name)
		return { exitCode: 1633, log: [`${installer.name} is not for ${system.name}: it is for ${wanted.name}`] };
	m.installed.push(id);
	m.pending += installer.restarts;
	return {
		exitCode: installer.restarts ? 3010 : 0,
		log: [
			`${installer.name} ${installer.version}: ${installer.files} files into ${installer.folder}`,
			installer.restarts ? 'done; a restart is wanted' : 'done'
		]
	};
}

/** The inventory of a machine as JSON Lines. The same look gives the same text, to the letter. */
export function inventoryText(estate: Estate, w: World, look: Look): string {
	const entries = new Map<string, InventoryEntry>();
	const put = (e: InventoryEntry) => entries.set('file' in e ? e.file : `\0${e.setting}\0${e.name}`, e);
	const contents = w.images.kept.get(`${look.line}/${look.version}`)?.contents ?? [];
	const system = systemOfLine(estate, look.line);
	const home = systemHome(system);
	for (const e of baseOf(home, contents)) put(e);
	for (const e of bustle(estate, home, look)) put(e);
	for (const id of look.installed) for (const e of entriesOf(installerOf(estate, id))) put(e);
	for (const s of look.set) put(s);
	const folders = new Set<string>();
	for (const e of entries.values())
		if ('file' in e)
			for (let cut = e.file.lastIndexOf('/'); cut > 0; cut = e.file.lastIndexOf('/', cut - 1)) {
				const folder = e.file.slice(0, cut);
				if (folders.has(folder)) break;
				folders.add(folder);
			}
	for (const file of folders) if (!entries.has(file)) put({ file, kind: 'folder', size: 0, mode: '0755', mtime: 0 });
	const heading = {
		inventory: 1 as const,
		of: look.name,
		at: look.at,
		system,
		restartsPending: look.pending,
		// The first part of an image is the system itself.
		programs: [...contents.slice(1).map((c) => `${c.name} ${c.version}`), ...look.installed]
	};
	return `${[inventoryLine(heading), ...[...entries.values()].sort(byKey).map(inventoryLine)].join('\n')}\n`;
}

/** Bytes of a file that an installer brings; fails for any other. */
export function contentOf(estate: Estate, w: World, machine: string, path: string): Uint8Array {
	const m = captureMachine(w, machine);
	for (const id of [...m.installed].reverse()) {
		const found = filesOf(installerOf(estate, id)).get(path);
		if (found) return found.bytes;
	}
	throw new ProviderError(`${path} cannot be read on ${machine}`, false);
}

/** Libraries that what a command starts has to find; settings of the system that its installer changed need not be there. */
function neededBy(estate: Estate, command: string): Needed[] {
	const installer = estate.installers.find((i) => i.starts.some((s) => `${i.folder}/${s.command}` === command));
	if (!installer) return [];
	return [...filesOf(installer)].flatMap(([path, f]) =>
		path.endsWith('.dll') && installer.shared.some((s) => s.file === path) ? [{ path, sha256: f.sha256 }] : []
	);
}

/** By launch target, what a package does not bring of what it needs: the image has to have it. */
export function lacksOf(
	estate: Estate,
	targets: readonly { id: string; command: string }[],
	files: ReadonlyMap<string, string | undefined>
): Record<string, Needed[]> {
	return Object.fromEntries(
		targets.map((t) => [t.id, neededBy(estate, t.command).filter((n) => files.get(n.path) !== n.sha256)])
	);
}

/** The first of some files that an image does not have as they are needed; undefined where it has them all. */
export function missingIn(
	estate: Estate,
	w: World,
	line: string,
	version: string,
	needed: readonly Needed[]
): Needed | undefined {
	if (needed.length === 0) return undefined;
	const contents = w.images.kept.get(`${line}/${version}`)?.contents ?? [];
	const image = new Map(
		baseOf(systemHome(systemOfLine(estate, line)), contents).flatMap((e) => ('file' in e ? [[e.file, e.sha256]] : []))
	);
	return needed.find((n) => image.get(n.path) !== n.sha256);
}

export const missingWords = (n: Needed): string => `${n.path} is not there, or is another one than it was made for`;

/** Starts each launch target of a package as an ordinary person would, on a machine that is made for it. */
export function tryPackage(estate: Estate, w: World, seed: number, ask: TrialAsk): TargetRun[] {
	if (!w.images.kept.has(`${ask.line}/${ask.version}`))
		throw new ProviderError(`the image store has no ${ask.line} ${ask.version}`, false);
	const packaged = new Map(ask.files.map((f) => [f.path, f.sha256]));
	const lacks = lacksOf(estate, ask.targets, packaged);
	return ask.targets.map((t): TargetRun => {
		const missing = missingIn(estate, w, ask.line, ask.version, lacks[t.id]!);
		const fails = !packaged.has(t.command) ? `${t.command} is not there` : missing ? missingWords(missing) : '';
		const folder = t.command.slice(0, t.command.lastIndexOf('/'));
		const reads = ask.files
			.filter((f) => f.path === t.command || (f.path.startsWith(`${folder}/`) && hashText(f.path) % 4 === 0))
			.map((f) => ({ path: f.path, bytes: f.size }));
		const read = { files: reads.length, bytes: reads.reduce((n, r) => n + r.bytes, 0) };
		const scatter = about(0.08, seed, hashText(t.command), w.nextHappening);
		return {
			id: t.id,
			name: t.name,
			started: fails === '',
			words: fails,
			cold: Math.round(startTime({ ...read, ahead: false }, false) * scatter),
			ahead: Math.round(startTime({ ...read, ahead: true }, false) * scatter),
			reads: fails ? [] : reads,
			writes: [
				`${folder}/${t.id}.log`,
				`C:/Users/${ask.person}/Documents/${t.name}/last.dat`,
				`settings:/Person/Software/${t.name}/Window`
			]
		};
	});
}

/** What an image can start beside its desktop: its programs, each by its menu entry; agents and drivers are not started by people. */
export function imageTargets(w: World, line: string, version: string): LaunchTarget[] {
	const kept = w.images.kept.get(`${line}/${version}`);
	if (!kept) throw new ProviderError(`the image store has no ${line} ${version}`, false);
	return kept.contents
		.slice(1)
		.filter((c) => /^[A-Z]/.test(c.name))
		.map((c) => {
			const folder = `C:/Program Files/${c.name}`;
			const id = c.name.toLowerCase().replace(/[^a-z0-9]+/g, '-');
			return {
				id,
				name: c.name,
				command: `${folder}/bin/${id}.exe`,
				arguments: '',
				folder,
				icon: '',
				opens: [],
				terminal: false,
				from: `C:/Users/Public/Start Menu/${c.name}.desktop`
			};
		});
}

const digit = (text: string, salt: number) => hashText(`${salt} ${text}`).toString(16).padStart(8, '0');
/** Stands for the digest of content that nobody ever asks for. */
const plausible = (text: string) =>
	Array.from({ length: 8 }, (_v, i) => digit(text, i))
		.join('')
		.slice(0, 64);

type Home = ReturnType<typeof systemHome>;

const bases = new Map<string, InventoryEntry[]>();

/** What an image holds before anything is installed by hand: the system's files, and some of every program. */
function baseOf(home: Home, contents: { name: string; version: string }[]): InventoryEntry[] {
	const key = JSON.stringify([home.folder, ...contents.map((c) => [c.name, c.version])]);
	const known = bases.get(key);
	if (known) return known;
	const entries: InventoryEntry[] = [];
	contents.forEach((c, n) => {
		const system = n === 0;
		const count = system ? 2400 : 180;
		for (let i = 0; i < count; i++) {
			const part = ['System', 'Drivers', 'Fonts', 'Languages', 'Services'][i % 5]!;
			const path = system
				? `${home.folder}/${part}/${part.slice(0, 3).toLowerCase()}${i}.${i % 7 ? 'dll' : 'exe'}`
				: `C:/Program Files/${c.name}/${i % 9 ? 'lib' : 'bin'}/part${i}.dll`;
			entries.push({
				file: path,
				kind: 'file',
				size: 2_000 + (hashText(path) % 400_000),
				mode: '0755',
				mtime: 1_780_000_000_000,
				sha256: plausible(`${path} ${c.version}`)
			});
		}
		entries.push({
			setting: system ? `${home.key}/Installed programs/System` : `Machine/Software/${c.name}`,
			name: 'version',
			type: 'text',
			value: c.version
		});
		for (let i = 0; i < (system ? 400 : 12); i++)
			entries.push({
				setting: system ? `Machine/System/Part ${i % 20}` : `Machine/Software/${c.name}/Options`,
				name: `option ${i}`,
				type: 'number',
				value: String(hashText(`${c.name} ${i}`) % 10)
			});
	});
	for (const file of [
		...['fonts.cfg', 'hosts', 'network.cfg'].map((n) => `${home.folder}/Settings/${n}`),
		'C:/Users/Public/Start Menu/order.cfg',
		'C:/Users/Public/Desktop/order.cfg'
	])
		entries.push({
			file,
			kind: 'file',
			size: 900,
			mode: '0644',
			mtime: 1_780_000_000_000,
			sha256: plausible(file)
		});
	bases.set(key, entries);
	return entries;
}

/** What a running system writes by itself: something else at every look. */
function bustle(estate: Estate, home: Home, look: Look): InventoryEntry[] {
	const { at } = look;
	const seed = estate.lab.seed;
	const file = (path: string, turn: number): FileEntry => ({
		file: path,
		kind: 'file',
		size: 4_000 + (hashText(`${path} ${turn}`) % 60_000),
		mode: '0644',
		mtime: at,
		sha256: plausible(`${path} ${turn} ${look.name}`)
	});
	const entries: InventoryEntry[] = [];
	for (const name of ['system', 'programs', 'security', 'updates'])
		entries.push(file(`${home.folder}/Event Logs/${name}.events`, look.look));
	for (let i = 0; i < 6; i++) {
		const turn = Math.floor(uniform(seed, hashText(look.name), look.look, i) * 1e6);
		entries.push(file(`C:/Temp/~tmp${turn}.tmp`, turn));
		entries.push(file(`${home.folder}/Update store/${Math.floor(at / DAY)}/part-${i}.cab`, look.look));
		entries.push(file(`${home.folder}/Search index/segment-${i}.idx`, look.look));
	}
	entries.push(
		{ setting: `${home.key}/Update state`, name: 'last look', type: 'number', value: String(at) },
		{ setting: 'Machine/System/Clock', name: 'last sync', type: 'number', value: String(at - (at % MINUTE)) },
		{ setting: 'Machine/System/Network adapters/0/Lease', name: 'until', type: 'number', value: String(at + DAY) }
	);
	if (look.installed.length) {
		entries.push(file(`${home.folder}/Preload/${look.installed.at(-1)!.toUpperCase()}.start`, look.look));
		entries.push(file(`C:/Temp/setup-${look.installed.length}.log`, look.look));
	}
	if (look.pending)
		entries.push({
			setting: 'Machine/System/Session manager/Pending renames',
			name: 'list',
			type: 'list',
			value: `C:/Temp/setup-${look.installed.length}.tmp`
		});
	return entries;
}

interface Made {
	bytes: Uint8Array;
	sha256: string;
	mode: string;
}
const made = new WeakMap<SimInstaller, Map<string, Made>>();

/** The files of an installer with their content. Made once: the same installer brings the same bytes. */
function filesOf(installer: SimInstaller): Map<string, Made> {
	const known = made.get(installer);
	if (known) return known;
	const files = new Map<string, Made>();
	const put = (path: string, bytes: Uint8Array, mode = '0644') =>
		files.set(path, { bytes, sha256: createHash('sha256').update(bytes).digest('hex'), mode });
	const { folder } = installer;
	const each = Math.max(64, Math.floor(installer.size / Math.max(1, installer.files)));
	for (let i = 0; i < installer.files; i++) {
		const name = ['data', 'forms', 'help', 'lib'][i % 4]!;
		put(`${folder}/${name}/${name}-${i}.${name === 'lib' ? 'dll' : 'dat'}`, textOf(`${installer.name} ${i}`, each));
	}
	for (const s of installer.starts) {
		const command = `${folder}/${s.command}`;
		if (!files.has(command)) put(command, textOf(command, 40_000), '0755');
		const icon = s.icon === '' ? '' : s.icon.includes('/') || !s.icon.includes('.') ? s.icon : `${folder}/${s.icon}`;
		if (icon.startsWith(`${folder}/`) && !s.missing && !files.has(icon))
			put(icon, icon.endsWith('.svg') ? drawingOf(s.name) : textOf(icon, 2_000));
		for (const at of s.at) {
			const where = at === 'menu' ? 'C:/Users/Public/Start Menu' : 'C:/Users/Public/Desktop';
			const lines = [
				'[Desktop Entry]',
				'Type=Application',
				`Name=${s.name}`,
				`Exec="${s.broken ? `${folder}/gone.exe` : command}"${s.arguments ? ` ${s.arguments}` : ''}`,
				`Path=${folder}`,
				...(icon && at === 'menu' ? [`Icon=${icon}`] : []),
				...(s.terminal ? ['Terminal=true'] : []),
				...(s.opens.length ? [`MimeType=${s.opens.join(';')};`] : [])
			];
			put(`${where}/${s.name}.desktop`, new TextEncoder().encode(`${lines.join('\n')}\n`));
		}
	}
	for (const f of installer.shared) put(f.file, textOf(f.content, 12_000), '0755');
	made.set(installer, files);
	return files;
}

/** A picture of an app's own, the same for the same name: a letter on a tile with a swell below it. */
function drawingOf(name: string): Uint8Array {
	const hue = hashText(name) % 360;
	return new TextEncoder().encode(
		`<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 48 48"><rect width="48" height="48" rx="9" fill="hsl(${hue} 38% 32%)"/><path d="M0 37c8-5 16 3 24-1s16-5 24-1v4a9 9 0 0 1-9 9H9a9 9 0 0 1-9-9z" fill="hsl(${(hue + 40) % 360} 45% 55%)"/><text x="24" y="31" font-family="sans-serif" font-size="25" font-weight="700" text-anchor="middle" fill="#fff">${name[0]}</text></svg>`
	);
}

/** Text that is the same for the same words, and packs as programs do. */
function textOf(words: string, size: number): Uint8Array {
	const bytes = new Uint8Array(size);
	let state = hashText(words) || 1;
	for (let i = 0; i < size; i++) {
		state = (Math.imul(state, 1664525) + 1013904223) >>> 0;
		bytes[i] = i % 3 ? state >>> 24 : 32;
	}
	return bytes;
}

function entriesOf(installer: SimInstaller): InventoryEntry[] {
	return [
		...[...filesOf(installer)].map(([file, f]): FileEntry => ({
			file,
			kind: 'file',
			size: f.bytes.length,
			mode: f.mode,
			mtime: 1_785_000_000_000,
			sha256: f.sha256
		})),
		...installer.settings.map((s): SettingEntry => ({ ...s }))
	];
}
