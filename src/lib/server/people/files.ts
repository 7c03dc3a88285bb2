import { createHash } from 'node:crypto';
import { bringing, type Bringing, type KnownDirectory } from '$lib/core/people/bring';
import { readTable, tableHead, type Columns, columnsOf } from '$lib/core/people/columns';
import { broughtBy, type Brought } from '$lib/core/people/entries';
import { groundOf, type Ground, type KnownSite } from '$lib/core/people/given';
import { readLdif } from '$lib/core/people/ldif';
import type { TeamRecord } from '$lib/core/people/record';
import { DAY } from '$lib/core/time/units';
import { all, one, run, setting, type Db } from '../db';
import { insertRow } from '../db/rows';
import { freeTeamId, recordsAt, SOURCE_WORDS, type KnownPerson, type Source } from '../directory';
import { InputProblem } from '../plans/kind';

/** The largest list that can be brought, bytes: fifty thousand people as LDIF fit. */
export const MOST_BYTES = 32 << 20;
/** Lists are kept so long, ms, and so many bytes of them: the oldest go first. */
const KEPT = 14 * DAY;
const KEPT_BYTES = 256 << 20;

/** How a list of people is written. */
export const FORMATS = ['ldif', 'csv'] as const;
export type Format = (typeof FORMATS)[number];

/** What a file is by its name and what it begins with. */
export const formatOf = (name: string, text: string): Format =>
	/\.ldif$/i.test(name) || /^\uFEFF?(?:#.*\n|\s)*(?:version:|dn:)/i.test(text.slice(0, 4000)) ? 'ldif' : 'csv';

/** Text of bytes: UTF-8, or UTF-16 where it begins by saying so. Throws InputProblem with the line that is neither. */
export function textOf(bytes: Uint8Array): string {
	const wide =
		bytes[0] === 0xff && bytes[1] === 0xfe ? 'utf-16le' : bytes[0] === 0xfe && bytes[1] === 0xff ? 'utf-16be' : null;
	try {
		return new TextDecoder(wide ?? 'utf-8', { fatal: true }).decode(bytes);
	} catch {
		let line = 1;
		const odd = firstOdd(bytes);
		for (let i = 0; i < odd; i++) if (bytes[i] === 10) line++;
		throw new InputProblem([
			{
				field: 'file',
				words: `Line ${line} is not UTF-8: names would be ruined. Save the file as UTF-8, and bring it again.`
			}
		]);
	}
}

/** Where bytes stop being UTF-8, to within a line. */
function firstOdd(bytes: Uint8Array): number {
	const decoder = new TextDecoder('utf-8', { fatal: true });
	let from = 0;
	for (let i = 0; i <= bytes.length; i++) {
		if (i < bytes.length && bytes[i] !== 10) continue;
		try {
			decoder.decode(bytes.subarray(from, i));
		} catch {
			return from;
		}
		from = i + 1;
	}
	return bytes.length;
}

export interface BroughtFile {
	id: number;
	name: string;
	format: Format;
	/** Of a table: its titles, its first rows, and what its columns hold by their titles. */
	titles: string[];
	rows: string[][];
	columns: Columns;
}

/** Keeps a list that somebody has brought. Throws InputProblem where it is no text. */
export function keepFile(db: Db, name: string, bytes: Buffer, by: string, now: number): BroughtFile {
	const text = textOf(bytes);
	if (text.trim() === '') throw new InputProblem([{ field: 'file', words: 'The file is empty.' }]);
	const id = insertRow(db, 'brought_files', {
		at: now,
		by,
		name: name.slice(0, 200),
		content: bytes,
		sha256: createHash('sha256').update(bytes).digest('hex')
	})!;
	run(
		db,
		`DELETE FROM brought_files WHERE id <> @id AND (at < @oldest OR id IN (
		 SELECT id FROM (SELECT id, sum(length(content)) OVER (ORDER BY id DESC) AS bytes FROM brought_files) WHERE bytes > @most))`,
		{ id, oldest: now - KEPT, most: KEPT_BYTES }
	);
	return { id, name, ...headOf(formatOf(name, text), text) };
}

function headOf(format: Format, text: string): Omit<BroughtFile, 'id' | 'name'> {
	if (format === 'ldif') return { format, titles: [], rows: [], columns: [] };
	const { titles, rows } = tableHead(text);
	return { format, titles, rows, columns: columnsOf(titles) };
}

/** A list that somebody has brought, with its text. Throws InputProblem where it is gone. */
export function fileText(db: Db, id: number): { name: string; text: string } {
	const row = one<{ name: string; content: Buffer }>(db, 'SELECT name, content FROM brought_files WHERE id = ?', [id]);
	if (!row) throw new InputProblem([{ field: 'file', words: 'That file is no longer here. Bring it again.' }]);
	return { name: row.name, text: textOf(row.content) };
}

/** How a list is to be taken in. */
export interface Import {
	file: number;
	as: Format;
	columns?: Columns | undefined;
	/** Everybody of our own list whom it does not name goes. */
	whole?: boolean | undefined;
	/** Of whom the list does not say where they are. */
	site?: string | undefined;
	team?: string | undefined;
}

/** What is known here, as imports and plans look at it. */
export interface Here extends KnownDirectory {
	people: ReadonlyMap<string, KnownPerson>;
	sites: readonly KnownSite[];
	ground(usual: {
		site?: string | undefined;
		team?: string | undefined;
	}): (teams: readonly TeamRecord[], isPerson: (login: string) => boolean) => Ground;
}

/** Everybody and everything that is known, for a change from here. */
export function knownHere(db: Db, at: number, people: ReadonlyMap<string, KnownPerson> = recordsAt(db, at)): Here {
	const teams = all<TeamRecord & { source: Source }>(
		db,
		'SELECT id, name, parent_id AS parent, source FROM teams WHERE gone = 0 ORDER BY name'
	);
	const sites = all<KnownSite>(db, 'SELECT id, name, time_zone AS zone FROM sites ORDER BY name');
	const home = setting(db, 'home');
	const teamSource = new Map(teams.map((t) => [t.id, t.source]));
	const pattern = one<{ pattern: string }>(
		db,
		'SELECT pattern FROM person_facts GROUP BY pattern ORDER BY count(*) DESC, pattern LIMIT 1'
	)?.pattern;
	return {
		people,
		teams: teams.map(({ id, name, parent }) => ({ id, name, parent })),
		sites,
		shut: (kind, id) => {
			const source = kind === 'person' ? people.get(id)?.source : teamSource.get(id);
			if (source === undefined || source === 'here') return null;
			return `${kind === 'person' ? (people.get(id)?.name ?? id) : (teams.find((t) => t.id === id)?.name ?? id)} is kept by ${SOURCE_WORDS[source]}: change it there.`;
		},
		teamId: (name, also) => freeTeamId(db, name, also),
		ground: (usual) => (among, isPerson) =>
			groundOf(sites, among, isPerson, {
				site: usual.site ?? (sites.length === 1 ? sites[0]!.id : (home ?? null)),
				team: usual.team ?? null,
				pattern: pattern ?? 'day'
			})
	};
}

/** What a list says, read as it is. */
function broughtIn(text: string, { as, columns }: Pick<Import, 'as' | 'columns'>, known: KnownDirectory): Brought {
	if (as === 'csv') return readTable(text, columns);
	const { records, problems } = readLdif(text);
	const brought = broughtBy(records, known);
	return { ...brought, problems: [...problems, ...brought.problems] };
}

/** What a list that was brought comes to now. */
export function importNow(db: Db, ask: Import, now: number): Bringing & { name: string; known: Here } {
	const { name, text } = fileText(db, ask.file);
	const known = knownHere(db, now);
	const problems: { field: string; words: string }[] = [];
	if (ask.site !== undefined && !known.sites.some((s) => s.id === ask.site))
		problems.push({ field: 'site', words: `There is no site ${ask.site}.` });
	if (ask.team !== undefined && !known.teams.some((t) => t.id === ask.team))
		problems.push({ field: 'team', words: `There is no team ${ask.team}.` });
	if (problems.length) throw new InputProblem(problems);
	return { ...bringing(broughtIn(text, ask, known), known, ask.whole ?? false, known.ground(ask), now), name, known };
}

/** Whom a list names, by their logins now: whoever came by it, or was changed. */
export function namedIn(db: Db, ask: Import, now: number): string[] {
	const known = knownHere(db, now);
	const brought = broughtIn(fileText(db, ask.file).text, ask, known);
	return [...new Set([...brought.people.map((p) => p.given.login), ...brought.gone.map((g) => g.login)])];
}
