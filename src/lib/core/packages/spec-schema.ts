import * as v from 'valibot';
import { isVersion } from '../images/versions';
import type { FileEntry, SettingEntry } from './inventory';
import { climbs, SETTING_TYPES } from './inventory';
import { WRITE_SCOPES } from './scope';
import { isPackageName, type PackageSpec } from './spec';

/**
 * What a package may say of itself, for whatever comes from outside and for what stands in the database alike. Everything has a
 * type, a bound and no other fields: a package that leaves something out, or has it of another type, is none.
 */

/** The most that each part may hold. A definition within them is read in a few megabytes. */
export const SPEC_LIMITS = {
	text: 500,
	path: 4096,
	targets: 500,
	branches: 500,
	names: 500,
	warmUp: 20_000,
	files: 500_000,
	settings: 500_000,
	/** Characters of the value of a setting. */
	value: 1 << 20
} as const;

const text = (most: number = SPEC_LIMITS.text) => v.pipe(v.string(), v.maxLength(most));
const some = (most: number = SPEC_LIMITS.text) => v.pipe(text(most), v.minLength(1));
const path = some(SPEC_LIMITS.path);
const count = v.pipe(v.number(), v.safeInteger(), v.minValue(0));
const list = <S extends v.GenericSchema>(of: S, most: number) => v.pipe(v.array(of), v.maxLength(most));
/** A moment that a date can hold, ms UTC. */
const moment = v.pipe(count, v.maxValue(8.64e15));

export const systemSchema = v.object({
	name: text(),
	version: text(),
	users: v.picklist(['single', 'multi'])
});

const targetSchema = v.object({
	id: some(SPEC_LIMITS.path),
	name: some(),
	command: some(SPEC_LIMITS.path),
	arguments: text(SPEC_LIMITS.path),
	folder: text(SPEC_LIMITS.path),
	icon: text(SPEC_LIMITS.path),
	opens: list(text(), SPEC_LIMITS.names),
	terminal: v.optional(v.boolean(), false),
	from: text(SPEC_LIMITS.path)
});

const scopeSchema = v.picklist(WRITE_SCOPES);

export const specSchema = v.object({
	name: v.pipe(v.string(), v.check(isPackageName)),
	version: v.pipe(text(100), v.check(isVersion)),
	note: text(2000),
	system: systemSchema,
	vouched: list(v.object({ system: systemSchema, by: text(), at: moment, why: text(2000) }), 100),
	targets: list(targetSchema, SPEC_LIMITS.targets),
	writes: v.object({
		usual: scopeSchema,
		branches: list(v.object({ branch: path, scope: scopeSchema }), SPEC_LIMITS.branches),
		overlay: v.object({ lives: v.picklist(['machine', 'profile disk']), outlasts: v.boolean() })
	}),
	teams: list(some(), SPEC_LIMITS.names),
	refusal: text(2000),
	services: list(text(), SPEC_LIMITS.names),
	ports: list(text(), SPEC_LIMITS.names),
	agent: text(100),
	capturedAt: moment,
	warmUp: list(v.object({ path, bytes: count }), SPEC_LIMITS.warmUp)
});

/** What is wrong with a value that ought to be a package's own description, with the field; null when nothing is. */
export function wrongWithSpec(value: unknown): string | null {
	const read = v.safeParse(specSchema, value, { abortEarly: true });
	if (read.success) return null;
	const issue = read.issues[0];
	const field = (issue.path ?? []).map((p) => String(p.key)).join('.');
	return field === '' ? 'it is no object' : `${field}: ${plainly(issue)}`;
}

function plainly(issue: v.BaseIssue<unknown>): string {
	if (issue.received === 'undefined') return 'it is missing';
	if (issue.type === 'check') return 'it is not of the form that is wanted';
	if (issue.type === 'max_length') return 'it is too long';
	return `${issue.expected ?? 'something else'} is wanted, ${String(issue.received).slice(0, 40)} is there`;
}

/** Whether a value is a package's description, without fields that nobody knows. */
export const isSpec = (value: unknown): value is PackageSpec => v.is(specSchema, value);

const MODE = /^[0-7]{4}$/;
const SHA256 = /^[0-9a-f]{64}$/;
const whole = (n: unknown): n is number => typeof n === 'number' && Number.isSafeInteger(n) && n >= 0;

/** What is wrong with the list of a package's files, or null. Checked by hand: half a million entries may come. */
export function wrongWithFiles(value: unknown): string | null {
	if (!Array.isArray(value)) return 'it is no list';
	if (value.length > SPEC_LIMITS.files) return `it has more than ${SPEC_LIMITS.files} entries`;
	const seen = new Set<string>();
	for (const e of value as FileEntry[]) {
		if (typeof e !== 'object' || e === null) return 'an entry is no object';
		if (typeof e.file !== 'string' || e.file === '' || e.file.length > SPEC_LIMITS.path) return 'an entry has no path';
		if (climbs(e.file)) return `the path ${e.file} climbs out of the package`;
		if (seen.has(e.file)) return `${e.file} stands twice`;
		seen.add(e.file);
		if (e.kind !== 'file' && e.kind !== 'folder' && e.kind !== 'link') return `${e.file} is no file, folder or link`;
		if (!whole(e.size) || !Number.isSafeInteger(e.mtime) || typeof e.mode !== 'string' || !MODE.test(e.mode))
			return `${e.file} has no size, time or permissions that can be read`;
		if (e.kind === 'file' && !(typeof e.sha256 === 'string' && SHA256.test(e.sha256)))
			return `${e.file} has no SHA-256`;
		if (e.kind === 'link' && !(typeof e.target === 'string' && e.target.length <= SPEC_LIMITS.path))
			return `${e.file} leads nowhere`;
	}
	return null;
}

const TYPES: ReadonlySet<unknown> = new Set(SETTING_TYPES);

/** What is wrong with the list of a package's settings, or null. */
export function wrongWithSettings(value: unknown): string | null {
	if (!Array.isArray(value)) return 'it is no list';
	if (value.length > SPEC_LIMITS.settings) return `it has more than ${SPEC_LIMITS.settings} entries`;
	const seen = new Set<string>();
	for (const e of value as SettingEntry[]) {
		if (typeof e !== 'object' || e === null) return 'an entry is no object';
		if (typeof e.setting !== 'string' || e.setting === '' || e.setting.length > SPEC_LIMITS.path)
			return 'an entry has no key';
		if (typeof e.name !== 'string' || e.name.length > SPEC_LIMITS.path) return `${e.setting} has no name`;
		if (!TYPES.has(e.type)) return `${e.setting} has no type that is known`;
		if (typeof e.value !== 'string' || e.value.length > SPEC_LIMITS.value) return `${e.setting} has no value`;
		const key = `${e.setting}\0${e.name}`;
		if (seen.has(key)) return `${e.setting} ${e.name} stands twice`;
		seen.add(key);
	}
	return null;
}
