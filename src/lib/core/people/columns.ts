import Papa from 'papaparse';
import { folded } from '../text/nearest';
import { eachRow } from '../text/table';
import type { Brought } from './entries';
import type { GivenPerson } from './given';
import type { LineProblem } from './ldif';
import { asLogin } from './login';

/** Fields of a person that a column of a table can hold, with the words that such columns are called by. */
export const PERSON_FIELDS = {
	login: ['login', 'user', 'username', 'user name', 'user id', 'userid', 'uid', 'account'],
	name: ['name', 'full name', 'display name', 'cn'],
	mail: ['mail', 'e-mail', 'email', 'mail address', 'email address'],
	employment: ['employment', 'employee type', 'kind of employment', 'contract', 'user type'],
	manager: ['manager', 'reports to', 'line manager', 'supervisor'],
	site: ['site', 'office', 'location', 'city'],
	language: ['language', 'preferred language', 'locale'],
	pattern: ['pattern', 'work pattern', 'works', 'shift'],
	begins: ['begins', 'begin', 'start', 'start date', 'first day', 'from', 'hired'],
	ends: ['ends', 'end', 'end date', 'last day', 'until', 'leaves'],
	team: ['team', 'home team', 'department', 'unit'],
	teams: ['teams', 'other teams', 'also in', 'groups']
} as const;
export type PersonField = keyof typeof PERSON_FIELDS;
const FIELDS = Object.keys(PERSON_FIELDS) as PersonField[];

/** Which field each column of a table holds, in the order of its columns; null: it is left out. */
export type Columns = (PersonField | null)[];

/** The columns of a table as their titles say what they hold, each field once. */
export function columnsOf(titles: readonly string[]): Columns {
	const taken = new Set<PersonField>();
	return titles.map((title) => {
		const words = folded(title)
			.replace(/[_\s]+/g, ' ')
			.trim();
		const field = FIELDS.find((f) => !taken.has(f) && (PERSON_FIELDS[f] as readonly string[]).includes(words));
		if (field) taken.add(field);
		return field ?? null;
	});
}

/** Stands where there is none; a hyphen is read as well. */
const NONE = '–';

const MOST = { rows: 200_000, columns: 200, problems: 200 };

/** The titles of a table and its first rows, to match its columns by. */
export function tableHead(text: string, rows = 3): { titles: string[]; rows: string[][] } {
	const { data } = Papa.parse<string[]>(text.slice(0, 1 << 20), { preview: rows + 1, skipEmptyLines: 'greedy' });
	const [titles = [], ...first] = data;
	return {
		titles: titles.slice(0, MOST.columns).map((t) => t.trim()),
		rows: first.map((r) => r.slice(0, MOST.columns))
	};
}

/**
 * The people of a table in CSV (RFC 4180; also with semicolons or tabs), whose first line names its columns. A row that cannot be read is
 * left out and said. An empty field says nothing; a hyphen says that there is none.
 * @param columns what each column holds; absent: as their titles say
 */
export function readTable(text: string, columns?: Columns): Brought & { columns: Columns; titles: string[] } {
	const problems: LineProblem[] = [];
	const people: Brought['people'] = [];
	const seen = new Map<string, number>();
	let titles: string[] | null = null;
	let held: Columns = [];
	eachRow(text, ({ fields, line, problem }) => {
		const wrong = (words: string): boolean => problems.push({ line, words }) < MOST.problems;
		if (titles === null) {
			titles = fields.map((t) => t.trim());
			held = columns ?? columnsOf(titles);
			if (titles.length > MOST.columns) wrong(`It has more than ${MOST.columns} columns.`);
			if (!held.includes('login')) wrong('No column holds logins.');
			const twice = held.find((f, i) => f !== null && held.indexOf(f) !== i);
			if (twice) wrong(`Two columns hold ${twice}.`);
			return problems.length === 0;
		}
		if (problem !== null) return wrong(problem);
		if (fields.length > titles.length)
			return wrong(`It has ${fields.length} fields, and the first line names ${titles.length}.`);
		if (people.length >= MOST.rows) {
			wrong(`It has more than ${MOST.rows} rows.`);
			return false;
		}
		const given = rowOf(fields, held);
		const login = asLogin(given.login);
		const before = seen.get(login);
		if (before !== undefined) return wrong(`A second row of ${login}; the first is at line ${before}.`);
		seen.set(login, line);
		people.push({ line, given: { ...given, login } });
		return true;
	});
	return { people, gone: [], teams: [], goneTeams: [], problems, columns: held, titles: titles ?? [] };
}

function rowOf(data: readonly string[], columns: Columns): GivenPerson {
	const given: Record<string, unknown> = { login: '' };
	columns.forEach((field, i) => {
		// As a spreadsheet keeps what is no formula.
		const text = (data[i]?.trim() ?? '').replace(/^'(?=[=+\-@])/, '');
		if (field === null || text === '') return;
		const none = text === '-' || text === NONE;
		if (field === 'teams')
			given.teams = none
				? []
				: text
						.split(/[;|]+/)
						.map((t) => t.trim())
						.filter(Boolean);
		else if (field === 'login' || field === 'name' || field === 'site' || field === 'pattern') given[field] = text;
		else given[field] = none ? null : text;
	});
	return given as unknown as GivenPerson;
}

/** People as a table that `readTable` reads back to the same. */
export const writeTable = (people: readonly GivenPerson[]): string =>
	`${Papa.unparse(
		{
			fields: [...FIELDS],
			data: people.map((p) =>
				FIELDS.map((f) => {
					const value = p[f];
					if (f === 'teams') return p.teams?.length ? p.teams.join(';') : NONE;
					return value === null || value === undefined ? NONE : String(value);
				})
			)
		},
		// What a spreadsheet would take for a formula is written as text.
		{ newline: '\r\n', escapeFormulae: true }
	)}\r\n`;
