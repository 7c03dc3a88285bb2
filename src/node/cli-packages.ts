import { existsSync, rmSync, statSync } from 'node:fs';
import { basename, resolve } from 'node:path';
import { byVersion, isVersion } from '$lib/core/images/versions';
import {
	InventoryProblem,
	inventorySchema,
	type InventoryHeading,
	type SystemKind
} from '$lib/core/packages/inventory';
import { SettingsProblem } from '$lib/core/packages/settings';
import { systemOf, systemWords } from '$lib/core/packages/fits';
import { bareSpec, contentsOf, foldersAbove, isPackageName, type PackageSpec } from '$lib/core/packages/spec';
import type { Choice } from '$lib/core/packages/tree';
import { sizeWords } from '$lib/core/time/units';
import { BlobStore } from '$lib/server/packing/blobs';
import { folderSource, readFrom, registeredBy, takenChanges, targetsOf } from '$lib/server/packing/capture-files';
import { compareInventories } from '$lib/server/packing/compare';
import { buildPackage, ContentProblem } from '$lib/server/packing/layout';
import { exportToFile, importFile, PackageProblem } from '$lib/server/packing/transfer';
import { foldersOf, takeInventory } from '$lib/server/packing/walk';

import { temporaryFolder } from './temporary';

/** What the command line gives to the commands about packages. */
export interface PackageOptions {
	settings?: string[];
	of?: string;
	system?: string;
	users?: string;
	output?: string;
	before?: string;
	after?: string;
	idle?: string[];
	folder?: string;
	name?: string;
	version?: string;
	note?: string;
	take?: string[];
	leave?: string[];
	upon?: string;
}

/** Words for whoever typed, and the code to end with. */
export class CommandProblem extends Error {
	constructor(
		message: string,
		readonly code = 1
	) {
		super(message);
	}
}

const need = (value: string | undefined, words: string): string => {
	if (value === undefined || value === '') throw new CommandProblem(words, 2);
	return value;
};
function there(path: string, what: string): string {
	if (!existsSync(path)) throw new CommandProblem(`there is no ${what} ${path}`);
	return path;
}

function systemFrom(o: PackageOptions): SystemKind | undefined {
	if (o.system === undefined) return undefined;
	const users = o.users ?? 'single';
	if (users !== 'single' && users !== 'multi') throw new CommandProblem('--users is single or multi', 2);
	return systemOf(o.system, users);
}

/** `inventory DIR …`: what a folder and files of settings hold. */
export async function inventoryCommand(folder: string | undefined, o: PackageOptions): Promise<void> {
	if (folder === 'schema') return console.log(JSON.stringify(inventorySchema, null, 2));
	const root = there(need(folder, 'inventory takes a folder'), 'folder');
	if (!statSync(root).isDirectory()) throw new CommandProblem(`${root} is no folder`);
	const out = need(o.output, 'inventory takes -o FILE');
	for (const s of o.settings ?? []) there(s, 'file of settings');
	const system = systemFrom(o);
	const heading: InventoryHeading = {
		inventory: 1,
		of: o.of ?? basename(resolve(root)),
		at: Date.now(),
		...(system ? { system } : {})
	};
	const counts = await settle(() => takeInventory(root, o.settings ?? [], out, heading));
	console.log(`${out}: ${counts.files} files and folders, ${sizeWords(counts.bytes)}, ${counts.settings} settings`);
	for (const path of counts.left) console.log(`  left out  ${path}: it cannot be read`);
}

/** `capture …`: a package from two inventories and the folder of the second. */
export async function captureCommand(o: PackageOptions): Promise<void> {
	const before = there(need(o.before, 'capture takes --before FILE'), 'inventory');
	const after = there(need(o.after, 'capture takes --after FILE'), 'inventory');
	const folder = there(
		need(o.folder, 'capture takes --folder DIR, the folder that --after is the inventory of'),
		'folder'
	);
	const name = need(o.name, 'capture takes --name NAME');
	if (!isPackageName(name)) throw new CommandProblem('--name is of small letters, digits, and - between them', 2);
	const version = o.version ?? '1.0.0';
	if (!isVersion(version)) throw new CommandProblem('--version is a version such as 1.0.0', 2);
	const out = need(o.output, 'capture takes -o FILE.tar');
	const idle = o.idle ?? [];
	if (idle.length !== 0 && idle.length !== 2)
		throw new CommandProblem('--idle is given twice, with two inventories between which nothing was installed', 2);
	idle.forEach((f) => there(f, 'inventory'));
	const making = temporaryFolder('capture');
	try {
		const compared = await settle(() =>
			compareInventories(before, after, idle.length ? (idle as [string, string]) : null)
		);
		const { sorts, what } = compared.summary;
		console.log(
			`${compared.summary.changes} changes: ${what.added} added, ${what.changed} changed, ${what.moved} moved, ${what.mode} permissions, ${what.removed} removed`
		);
		for (const sort of ['app', 'noise', 'doubtful'] as const)
			console.log(`  ${sort.padEnd(9)} ${sorts[sort].changes}, ${sizeWords(sorts[sort].bytes)}`);
		const choices: Choice[] = [
			...(o.take ?? []).map((pattern): Choice => ({ pattern, take: true })),
			...(o.leave ?? []).map((pattern): Choice => ({ pattern, take: false }))
		];
		const taken = takenChanges(compared, choices);
		const contents = contentsOf(taken.changes, await foldersOf(after, foldersAbove(taken.changes)));
		for (const l of contents.left) console.log(`  left out  ${l.path}: ${l.why}`);
		if (contents.files.length + contents.settings.length === 0)
			throw new CommandProblem('nothing is taken: there is nothing to make a package of; --take PATTERN takes more');
		const groups = targetsOf(contents, readFrom(folder));
		for (const g of groups) {
			console.log(`  starts    ${g.best.name}: ${g.best.command}`);
			for (const p of g.problems) console.log(`            ${p.words}`);
		}
		const store = new BlobStore(making);
		const upon = o.upon === undefined ? null : there(o.upon, 'package');
		const under = upon === null ? null : await settle(() => importFile(store, upon));
		if (under && byVersion(under.spec.version, version) >= 0)
			throw new CommandProblem(
				`--upon is ${under.spec.version}: a package is packed upon an older version than its own, ${version}`
			);
		const base = under?.manifest ?? null;
		const system = compared.after.system ?? systemFrom(o) ?? systemOf('unknown', 'single');
		const spec: PackageSpec = {
			...bareSpec(name, version, system, compared.after.at),
			note: o.note ?? '',
			targets: groups.map((g) => g.best),
			...registeredBy(contents.settings)
		};
		const built = await settle(() => buildPackage(store, spec, contents, folderSource(folder), base));
		await exportToFile(store, built.manifest, out);
		console.log(
			`${out}: ${name} ${version}, ${built.files} files, ${sizeWords(built.unpacked)}, packed ${sizeWords(built.size)}${base === null ? '' : `, of which ${sizeWords(built.added)} are new`}\n${built.manifest}`
		);
	} finally {
		rmSync(making, { recursive: true, force: true });
	}
}

/** `package check FILE`: whether a package is whole and safe, and what it is. */
export async function checkPackageCommand(file: string | undefined): Promise<void> {
	const path = there(need(file, 'package check takes a file'), 'file');
	const making = temporaryFolder('check');
	try {
		const found = await settle(() => importFile(new BlobStore(making), path));
		console.log(
			`${path} is whole: ${found.spec.name} ${found.spec.version} for ${systemWords(found.spec.system)}, ${found.files} files, ${found.settings} settings, ${sizeWords(found.unpacked)}\n${found.manifest}`
		);
	} finally {
		rmSync(making, { recursive: true, force: true });
	}
}

/** Errors about what was given, as words with the line where there is one. */
async function settle<T>(work: () => Promise<T>): Promise<T> {
	try {
		return await work();
	} catch (e) {
		if (e instanceof InventoryProblem) throw new CommandProblem(`line ${e.line}, column ${e.column}: ${e.message}`);
		if (e instanceof SettingsProblem) throw new CommandProblem(`line ${e.line}: ${e.message}`);
		if (e instanceof ContentProblem) throw new CommandProblem(e.message);
		if (e instanceof PackageProblem) throw new CommandProblem(e.message);
		if ((e as NodeJS.ErrnoException).code?.startsWith('E')) throw new CommandProblem((e as Error).message);
		throw e;
	}
}
