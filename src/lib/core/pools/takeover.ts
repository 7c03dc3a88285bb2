import Papa from 'papaparse';

/** A line of a list of machines to take over. */
export interface TakenLine {
	/** Counts from 1, the heading included. */
	line: number;
	name: string;
	kind: 'virtual' | 'physical' | null;
	/** Login of the person who keeps it, or null. */
	owner: string | null;
}

export interface LineProblem {
	line: number;
	words: string;
}

const COLUMNS = ['name', 'kind', 'owner'];

/**
 * Reads a list of machines: CSV (RFC 4180) with a heading; `name` is needed, `kind` (virtual or physical) and `owner` (a
 * login) are not. Every line that cannot be read is a problem with its number.
 */
export function readMachineList(text: string): { lines: TakenLine[]; problems: LineProblem[] } {
	const parsed = Papa.parse<Record<string, string>>(text.replace(/^\uFEFF/, '').trimEnd(), {
		header: true,
		transformHeader: (h) => h.trim().toLowerCase(),
		skipEmptyLines: false
	});
	const columns = parsed.meta.fields ?? [];
	if (!columns.includes('name'))
		return {
			lines: [],
			problems: [{ line: 1, words: `the heading needs a column “name”; it may have kind and owner` }]
		};
	const problems: LineProblem[] = columns
		.filter((c) => !COLUMNS.includes(c))
		.map((c) => ({ line: 1, words: `there is no column called “${c}”: it may have ${COLUMNS.join(', ')}` }));
	const lines: TakenLine[] = [];
	const first = new Map<string, number>();
	parsed.data.forEach((row, i) => {
		const line = i + 2;
		const wrong = (words: string) => problems.push({ line, words });
		// A quote that is not closed swallows the rest: it is in the last line.
		const bad = parsed.errors.find((e) => (e.type === 'Quotes' ? i === parsed.data.length - 1 : e.row === i));
		if (Object.values(row).every((value) => typeof value === 'string' && value.trim() === '')) return;
		if (bad)
			return wrong(
				bad.type === 'Quotes'
					? 'a quote is not closed'
					: bad.code === 'TooManyFields'
						? `it has more fields than the heading`
						: 'it has fewer fields than the heading'
			);
		const name = row.name!.trim();
		const kind = row.kind?.trim().toLowerCase() ?? '';
		if (name === '') return wrong('the name is missing');
		if (kind !== '' && kind !== 'virtual' && kind !== 'physical')
			return wrong(`“${kind}” is no kind: write virtual or physical`);
		const before = first.get(name);
		if (before !== undefined) return wrong(`${name} stands in line ${before} already`);
		first.set(name, line);
		lines.push({ line, name, kind: kind === '' ? null : kind, owner: row.owner?.trim() || null });
	});
	if (lines.length === 0 && problems.length === 0) problems.push({ line: 2, words: 'there is no machine in it' });
	return { lines, problems };
}

/** What is known of the machines of a list, to judge it. */
export interface Surroundings {
	site: string;
	existing: ReadonlyMap<string, { site: string; kind: 'virtual' | 'physical'; users: 'single' | 'multi' }>;
	/** Names of machines that are ours already, with their pools. */
	ours: ReadonlyMap<string, string>;
	people: ReadonlySet<string>;
	/** Computer accounts by name, with the folder each stands in. */
	accounts: ReadonlyMap<string, string>;
	/** Whether an account that exists is adopted, and the folder in which accounts are to stand. */
	adopt: boolean;
	folder: string;
	personal: boolean;
	perMachine: number;
}

/** What stands against taking over the machines of a list, line by line. */
export function judgeMachineList(lines: readonly TakenLine[], s: Surroundings): LineProblem[] {
	const owners = new Map<string, number>();
	return lines.flatMap(({ line, name, kind, owner }): LineProblem[] => {
		const no = (words: string): LineProblem[] => [{ line, words }];
		const pool = s.ours.get(name);
		if (pool !== undefined) return no(`${name} is a machine of pool ${pool} already`);
		const m = s.existing.get(name);
		if (!m) return no(`the compute provider knows no machine ${name}`);
		if (m.site !== s.site) return no(`${name} stands at ${m.site}, not at ${s.site}`);
		if (kind !== null && kind !== m.kind) return no(`${name} is a ${m.kind} machine, not a ${kind} one`);
		if (m.users === 'single' && s.perMachine > 1)
			return no(`${name} runs a single-user system: it holds one session, not ${s.perMachine}`);
		const account = s.accounts.get(name);
		if (account !== undefined && !s.adopt)
			return no(`an account ${name} exists in ${account}: adopt it, or leave the machine out`);
		if (owner === null) return [];
		if (!s.personal) return no(`a shared pool has no owners: leave ${owner} out, or let one person keep each machine`);
		if (!s.people.has(owner)) return no(`the directory knows nobody called ${owner}`);
		const before = owners.get(owner);
		if (before !== undefined) return no(`${owner} has a machine in line ${before} already`);
		owners.set(owner, line);
		return [];
	});
}
