import { packageFor, stepKey, type StockSystem, type StorePackage } from '$lib/core/images/sheet';
import { kindOf, RIGHTS, type Right } from '$lib/core/images/library/kinds';
import { chosenTweaks, savingsOf } from '$lib/core/images/library/tweaks';
import type { ParamValues } from '$lib/core/images/library/params';
import { AS_FOUND, type Component } from '$lib/core/images/versions';
import type { Estate } from '$lib/core/estate/schema';
import { MINUTE, SECOND } from '$lib/core/time/units';
import { ProviderError, type Chunk, type StepResult } from '../providers';
import { LRUCache } from 'lru-cache';
import { hash, hashText, uniform } from './random';
import type { SimImages, World } from './state';

/** Bytes of a whole chunk. */
export const CHUNK = 16_000_000;

/** Images as an estate file declares them: versions kept at home, and wherever machines run on them. */
export function imagesOf(estate: Estate): SimImages {
	const home = estate.home ?? estate.sites[0]?.id ?? '';
	const stores: SimImages['stores'] = new Map(estate.sites.map((s) => [s.id, { whole: new Set(), loose: new Set() }]));
	const kept: SimImages['kept'] = new Map();
	for (const line of estate.image_lines)
		for (const v of line.versions) {
			kept.set(`${line.id}/${v.number}`, { contents: v.contents, at: v.built });
			stores.get(home)?.whole.add(`${line.id}/${v.number}`);
			// Where a thick link leads, versions are handed out as soon as they are kept.
			for (const s of estate.sites)
				if (s.joined && thick(estate, home, s.id)) stores.get(s.id)!.whole.add(`${line.id}/${v.number}`);
		}
	for (const p of estate.pools) stores.get(p.site)?.whole.add(`${p.line}/${p.version}`);
	return { kept, builders: new Map(), references: new Map(), stores, missing: new Set() };
}

/** Mbit/s from which a link carries images without being noticed. */
const THICK = 100;
const thick = (estate: Estate, a: string, b: string) =>
	estate.sites.some((s) =>
		s.links.some((l) => l.mbit >= THICK && ((s.id === a && l.to === b) || (s.id === b && l.to === a)))
	);

/** Second Tuesdays of a month within (from, to]: when the update service has something new. */
export function patchDays(from: number, to: number): number {
	let n = 0;
	const d = new Date(from);
	for (let year = d.getUTCFullYear(), month = d.getUTCMonth(); ; month++) {
		const first = new Date(Date.UTC(year, month, 1));
		const day = 1 + ((2 - first.getUTCDay() + 7) % 7) + 7;
		const at = Date.UTC(year, month, day, 17);
		if (at > to) return n;
		if (at > from) n++;
	}
}

/** The newest that the update service has of a system's component, seen from what is there. */
function newestSystem(estate: Estate, component: Component, now: number): Component {
	const stock = estate.stock.find((s) => s.component.name === component.name);
	if (!stock) return component;
	const [major, minor] = stock.component.version.split('.').map(Number) as [number, number | undefined];
	const version = `${major}.${(minor ?? 0) + patchDays(stock.as_of, now)}`;
	if (version === component.version) return component;
	return { name: component.name, version, size: Math.round(stock.component.size * 1.04) };
}

/** The stock systems and the package store. */
export const offersOf = (estate: Estate): { stock: StockSystem[]; packages: StorePackage[] } => ({
	stock: estate.stock.map((s) => ({
		id: s.id,
		name: s.name,
		system: s.system,
		users: s.users,
		generation: s.generation,
		leastDisk: s.least_disk,
		component: s.component
	})),
	packages: estate.package_store
});

export const rightsOf = (w: World): Right[] => (Object.keys(RIGHTS) as Right[]).filter((r) => !w.images.missing.has(r));

/** How long a step takes here with four cores and the usual disk, ms: what the estate file says, or the kind's usual time, more or less. */
export function stepTime(estate: Estate, line: string, step: { kind: string; with: ParamValues }): number {
	const key = stepKey(step);
	const own = estate.image_lines.find((l) => l.id === line)?.sheet;
	const at = own?.steps.findIndex((s) => stepKey(s.step) === key) ?? -1;
	if (own && at >= 0) return own.steps[at]!.takes;
	return (kindOf(step.kind)?.usual ?? 5 * MINUTE) * (0.7 + 0.6 * uniform(estate.lab.seed, hashText(key), 77));
}

/** Carries a step out on a line's builder machine. Throws ProviderError where the outside says no. */
export function buildStep(
	estate: Estate,
	w: World,
	line: string,
	step: { kind: string; with: ParamValues }
): StepResult {
	const p = step.with;
	const log: string[] = [];
	let exitCode = 0;
	const kind = kindOf(step.kind);
	const lacking = (kind?.rights?.(p) ?? []).filter((r) => w.images.missing.has(r));
	if (lacking.length) throw new ProviderError(`the builder’s account may not ${RIGHTS[lacking[0]!]}`, false);
	if (step.kind === 'source') {
		const contents = sourceContents(estate, w, p);
		w.images.builders.set(line, { contents: [...contents], paths: [] });
		return { exitCode: 0, log: contents.map((c) => `${c.name} ${c.version} is in place`) };
	}
	const builder = w.images.builders.get(line);
	if (!builder) throw new ProviderError('the builder machine is gone: begin again from the first step', false);
	const put = (c: Component) => {
		builder.contents = [...builder.contents.filter((x) => x.name !== c.name), c];
		log.push(`${c.name} ${c.version} installed`);
	};
	const fromStore = (name: string, wish: string) => {
		const found = packageFor(offersOf(estate).packages, name, wish);
		if (!found) {
			log.push(`the package store has no ${name} ${wish}`);
			exitCode = 2;
			return;
		}
		log.push(`fetched ${name} ${found.version}, SHA-256 agrees`);
		put({ ...found });
	};
	switch (step.kind) {
		case 'updates': {
			const before = builder.contents;
			builder.contents = before.map((c) => newestSystem(estate, c, w.now));
			const news = builder.contents.filter((c, i) => c.version !== before[i]!.version);
			log.push(
				...(news.length
					? news.map((c) => `${c.name} brought to ${c.version}, restarted twice`)
					: ['looked for updates: none outstanding']),
				'no update outstanding'
			);
			break;
		}
		case 'package':
		case 'driver':
			fromStore(String(p.package), String(p.version ?? 'newest'));
			break;
		case 'agent':
			fromStore('desktop agent', String(p.version));
			break;
		case 'profile client':
			fromStore('profile disk client', String(p.version));
			break;
		case 'language': {
			const packs = p.packs as string[];
			const system = builder.contents[0]?.version ?? '1';
			put({ name: `language packs ${packs.join(', ')}`, version: system, size: packs.length * 850_000_000 });
			break;
		}
		case 'remove':
			if (builder.contents.some((c) => c.name === p.program)) {
				builder.contents = builder.contents.filter((c) => c.name !== p.program);
				log.push(`${String(p.program)} taken out`);
			} else log.push(`${String(p.program)} was not there`);
			break;
		case 'trim': {
			const tweaks = chosenTweaks(p.tweaks as 'safe');
			const saved = Math.round(savingsOf(tweaks).disk / 4);
			builder.contents = builder.contents.map((c, i) => (i === 0 ? { ...c, size: Math.max(1, c.size - saved) } : c));
			log.push(`${tweaks.length} tweaks made`);
			break;
		}
		case 'copy':
		case 'folder':
			builder.paths.push(String(p.to ?? p.path));
			break;
		case 'script': {
			// What a script ends with is what it says itself.
			const said = /\bexit\s+(?:\/b\s+)?(\d+)\s*$/m.exec(String(p.text));
			exitCode = said ? Number(said[1]) : 0;
			break;
		}
		case 'test': {
			const name = String(p.name);
			const there =
				p.what === 'file'
					? builder.paths.some((x) => name.startsWith(x)) || /^(C:\\Windows|\/etc|\/usr)/i.test(name)
					: p.what === 'service'
						? builder.contents.some((c) => c.name === name)
						: Number(name) > 0 && builder.contents.some((c) => c.name === 'desktop agent');
			log.push(there ? `${name} is there` : `${name} is not there`);
			exitCode = there ? 0 : 1;
			break;
		}
		case 'seal':
			log.push('removed machine identity', 'cleared logs and temporary files', 'powered off');
			break;
	}
	log.push(`ended with exit code ${exitCode}`);
	return { exitCode, log };
}

function sourceContents(estate: Estate, w: World, p: ParamValues): Component[] {
	if (p.from === 'stock') {
		const stock = estate.stock.find((s) => s.id === p.system);
		if (!stock) throw new ProviderError(`no stock system is called ${String(p.system)}`, false);
		return [stock.component];
	}
	if (p.from === 'machine') {
		const m = w.machines.get(String(p.machine));
		// One that was taken over brings what was found on it.
		if (m?.version === AS_FOUND) {
			const { system } = estate.existing.find((x) => x.name === m.name)!;
			return [{ name: system, version: 'as found', size: Math.round(m.disk * 0.4) }];
		}
		const image = m && w.images.kept.get(`${m.line}/${m.version}`);
		if (!image) throw new ProviderError(`the compute provider knows no machine ${String(p.machine)}`, false);
		return image.contents;
	}
	const image = w.images.kept.get(`${String(p.line)}/${String(p.number)}`);
	if (!image) throw new ProviderError(`the image store has no ${String(p.line)} ${String(p.number)}`, false);
	return image.contents;
}

/** Keeps what is on a line's builder as a version. */
export function keepVersion(estate: Estate, w: World, line: string, number: string, contents: Component[]): void {
	w.images.kept.set(`${line}/${number}`, { contents, at: w.now });
	let numbers = w.versions.get(line);
	if (!numbers) w.versions.set(line, (numbers = new Set()));
	numbers.add(number);
	const home = estate.home ?? estate.sites[0]?.id ?? '';
	w.images.stores.get(home)?.whole.add(`${line}/${number}`);
}

/** What somebody types at the console of a line's reference machine, and what it answers. */
export function typeCommand(estate: Estate, w: World, line: string, text: string): string[] {
	const machine = w.images.references.get(line);
	if (!machine) throw new ProviderError(`the reference machine of ${line} is not open`, false);
	const [command = '', ...rest] = text.trim().split(/\s+/);
	const argument = rest.join(' ');
	switch (command) {
		case 'help':
			return [
				'programs                     what is installed',
				'install NAME [VERSION]       from the package store',
				'remove NAME                  take a program out',
				'update                       system updates',
				'set KEY VALUE                change a setting',
				'settings                     what has been set here',
				'restart                      restart the machine'
			];
		case 'programs':
			return machine.contents.map((c) => `${c.name} ${c.version}`);
		case 'install': {
			const version = /^\d+(\.\d+)*$/.test(rest.at(-1) ?? '') ? rest.at(-1)! : 'newest';
			const name = version === 'newest' ? argument : rest.slice(0, -1).join(' ');
			const found = packageFor(offersOf(estate).packages, name, version);
			if (!found) return [`the package store has no ${argument || 'program without a name'}`];
			machine.contents = [...machine.contents.filter((c) => c.name !== found.name), { ...found }];
			return [`fetched ${found.name} ${found.version}, SHA-256 agrees`, `${found.name} ${found.version} installed`];
		}
		case 'remove': {
			if (!machine.contents.some((c) => c.name === argument)) return [`${argument || 'nothing'} is not installed`];
			machine.contents = machine.contents.filter((c) => c.name !== argument);
			return [`${argument} taken out`];
		}
		case 'update': {
			const before = machine.contents;
			machine.contents = before.map((c) => newestSystem(estate, c, w.now));
			const news = machine.contents.filter((c, i) => c.version !== before[i]!.version);
			machine.restart ||= news.length > 0;
			return news.length
				? [...news.map((c) => `${c.name} brought to ${c.version}`), 'restart to finish']
				: ['no update outstanding'];
		}
		case 'set': {
			const [key, ...value] = rest;
			if (!key || value.length === 0) return ['write: set KEY VALUE'];
			machine.settings[key] = value.join(' ');
			return [`${key} = ${value.join(' ')}`];
		}
		case 'settings':
			return Object.entries(machine.settings)
				.map(([k, v]) => `${k} = ${v}`)
				.concat(Object.keys(machine.settings).length ? [] : ['nothing has been set here']);
		case 'restart':
			machine.restart = false;
			return ['restarted'];
		case '':
			return [];
		default:
			return [`there is no ${command}; help lists what there is`];
	}
}

/** What a reference machine has come to, as contents: settings made by hand are a part of their own. */
export function referenceContents(w: World, line: string): Component[] {
	const machine = w.images.references.get(line);
	if (!machine) throw new ProviderError(`the reference machine of ${line} is not open`, false);
	if (machine.restart) throw new ProviderError('updates wait for a restart: type restart at the console first', false);
	const keys = Object.entries(machine.settings);
	if (keys.length === 0) return machine.contents;
	const version = hash(...keys.map(([k, v]) => hashText(`${k}=${v}`))).toString(16);
	return [
		...machine.contents.filter((c) => c.name !== 'settings by hand'),
		{ name: 'settings by hand', version, size: 40_000 * keys.length }
	];
}

/**
 * The content chunks of a version's parts. Which chunks of a part change from one of its versions to the next is drawn
 * once for each chunk, so that neighbouring versions share most of them, whatever line they stand in.
 */
export const chunksOf = (contents: readonly Component[]): Chunk[] => contents.flatMap(chunksOfPart);

/** Chunks of parts that were asked for last: most versions have most parts of the one before. */
const partsMade = new LRUCache<string, Chunk[]>({ maxSize: 200_000, sizeCalculation: (chunks) => chunks.length });
function chunksOfPart(c: Component): Chunk[] {
	const key = JSON.stringify([c.name, c.version, c.size]);
	let chunks = partsMade.get(key);
	if (!chunks) {
		chunks = [];
		const name = hashText(c.name);
		const n = Math.max(1, Math.ceil(c.size / CHUNK));
		const v = versionValue(c.version);
		for (let i = 0; i < n; i++) {
			const period = PERIODS[hash(name, i, 3) % PERIODS.length]!;
			const epoch = Math.floor((v + (hash(name, i, 4) % period)) / period);
			// The last chunk of a part is as long as what is left: another length, other content.
			const size = i === n - 1 ? c.size - (n - 1) * CHUNK : CHUNK;
			const last = i === n - 1 ? c.size : 0;
			const digest = [5, 6, 7, 8]
				.map((k) =>
					hash(name, i, epoch, last % 4_294_967_291, k)
						.toString(16)
						.padStart(8, '0')
				)
				.join('');
			chunks.push({
				digest,
				size,
				packed: Math.round(size * (0.42 + 0.4 * uniform(name, i, epoch, 9))),
				part: `${c.name} ${c.version}`
			});
		}
		partsMade.set(key, chunks);
	}
	return chunks;
}

/** Chunks of every kept version, made once for each: they follow from the contents. */
const chunksMade = new WeakMap<readonly Component[], Chunk[]>();
function chunksOfKept(contents: readonly Component[]): Chunk[] {
	let chunks = chunksMade.get(contents);
	if (!chunks) chunksMade.set(contents, (chunks = chunksOf(contents)));
	return chunks;
}

/** Bytes of a chunk as it goes over a link. Throws ProviderError for one that no kept version has. */
export function packedOf(w: World, digest: string): number {
	for (const image of w.images.kept.values()) {
		let sizes = packedSizes.get(image.contents);
		if (!sizes)
			packedSizes.set(image.contents, (sizes = new Map(chunksOfKept(image.contents).map((c) => [c.digest, c.packed]))));
		const packed = sizes.get(digest);
		if (packed !== undefined) return packed;
	}
	throw new ProviderError('the image store knows no such chunk', false);
}
const packedSizes = new WeakMap<readonly Component[], Map<string, number>>();

/** Everything that a site's store holds: the chunks of its whole versions, and those that came loose. */
function heldAt(w: World, site: string): Set<string> {
	const store = w.images.stores.get(site);
	const held = new Set(store?.loose);
	for (const id of store?.whole ?? [])
		for (const c of chunksOfKept(w.images.kept.get(id)?.contents ?? [])) held.add(c.digest);
	return held;
}

/** Chunks arrive at a site from another that has them. */
export function receive(w: World, from: string, to: string, digests: readonly string[]): void {
	const there = heldAt(w, from);
	const missing = digests.find((d) => !there.has(d));
	if (missing !== undefined)
		throw new ProviderError(`the image store at ${from} does not have chunk ${missing.slice(0, 8)}`, false);
	const store = w.images.stores.get(to);
	if (!store) throw new ProviderError(`there is no image store at ${to}`, false);
	for (const d of digests) store.loose.add(d);
}

/** Puts a version together at a site from chunks that are there. */
export function assemble(w: World, line: string, number: string, site: string): void {
	const id = `${line}/${number}`;
	const image = w.images.kept.get(id);
	const store = w.images.stores.get(site);
	if (!image || !store) throw new ProviderError(`there is no ${line} ${number} to put together at ${site}`, false);
	const held = heldAt(w, site);
	const lacking = chunksOfKept(image.contents).filter((c) => !held.has(c.digest)).length;
	if (lacking) throw new ProviderError(`${lacking} chunks of ${line} ${number} are not at ${site} yet`);
	store.whole.add(id);
	for (const c of chunksOfKept(image.contents)) store.loose.delete(c.digest);
}

/** Versions of a part after which a chunk has changed: some with each, most hardly ever. */
const PERIODS = [2, 8, 16, 40, 40, 100, 400, 400, 400, 400];

function versionValue(version: string): number {
	const parts = version.split(/\D+/).filter(Boolean).map(Number);
	return parts.length ? parts[0]! * 200 + (parts[1] ?? 0) * 2 + (parts[2] ?? 0) : hashText(version) % 100_000;
}

/** Starts a machine of a version by itself, and looks whether everything on it does what it should. */
export function tryOut(
	estate: Estate,
	w: World,
	line: string,
	number: string
): { boot: number; checks: { asks: string; ok: boolean; saw: string }[] } {
	const image = w.images.kept.get(`${line}/${number}`);
	if (!image) throw new ProviderError(`the image store has no ${line} ${number}`, false);
	const has = (name: string) => image.contents.find((c) => c.name === name);
	const declared = estate.image_lines.find((l) => l.id === line);
	const boot = (declared?.boot ?? 90_000) * (0.9 + 0.3 * uniform(estate.lab.seed, hashText(`${line}/${number}`), 21));
	const agent = has('desktop agent');
	const profile = has('profile disk client');
	const slow = declared?.versions.find((v) => v.number === number)?.slow;
	return {
		boot,
		checks: [
			{ asks: 'Does it start?', ok: true, saw: `ready after ${Math.round(boot / 1000)} s` },
			{
				asks: 'Does its agent answer?',
				ok: agent !== undefined,
				saw: agent ? `desktop agent ${agent.version} answered` : 'no desktop agent is installed'
			},
			{ asks: 'Does it join the directory?', ok: true, saw: 'a computer account was made and removed' },
			{
				asks: 'Does a profile disk attach?',
				ok: profile !== undefined,
				saw: profile ? `profile disk client ${profile.version} attached it` : 'no profile disk client is installed'
			},
			{
				asks: 'Does a sign-in take its usual time?',
				ok: !slow,
				saw: slow
					? `${slow.part} took ${Math.round(slow.by / 1000)} s longer than usual`
					: 'every phase within its usual time'
			}
		]
	};
}

/** Ms that a version takes from home to a site's store: what the store lacks goes over the link between them, and is put together there. */
export function handOutTime(estate: Estate, w: World, line: string, version: string, site: string): number {
	const home = estate.home ?? estate.sites[0]?.id ?? '';
	const image = w.images.kept.get(`${line}/${version}`);
	const link = estate.sites
		.flatMap((s) => s.links.map((l) => ({ ...l, from: s.id })))
		.find((l) => (l.from === home && l.to === site) || (l.to === home && l.from === site));
	if (!image || !link) return 6 * MINUTE;
	const held = heldAt(w, site);
	const bytes = chunksOfKept(image.contents)
		.filter((c) => !held.has(c.digest))
		.reduce((n, c) => n + c.packed, 0);
	return 90 * SECOND + (bytes / (((link.mbit * 1e6) / 8) * (1 - link.loss))) * SECOND;
}
