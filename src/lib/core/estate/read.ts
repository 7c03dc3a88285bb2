import Papa from 'papaparse';
import * as v from 'valibot';
import { LineCounter, parseDocument } from 'yaml';
import { kindOf, RIGHTS } from '../images/library/kinds';
import { rangeEnds, readAddress } from '../network/addresses';
import { parsePattern } from '../pools/naming';
import { categoryId, readCatalogue } from '../reach/catalogue-file';
import { readTest } from '../reach/file';
import { serviceHost, servicePorts } from '../reach/hosts';
import { siteName } from '../reach/targets';
import { readHolidays } from '../time/holidays';
import { readRule, readWhat, readWhom, type Known, type Spoken } from '../reach/written';
import { readGroup } from '../settings/file';
import { byId, catalogueOf, readOwn } from '../settings/own';
import { WIDE, type ReachKind } from '../settings/reach';
import { yamlBeyond, type Bounds } from '../text/bounds';
import { PART_FACETS, readPart, type PartFacet } from '../access/part';
import { positionOf } from '../text/positions';
import { layOut } from './layout';
import {
	beginning,
	estateSchema,
	FAULT_KINDS,
	personSchema,
	type Estate,
	type EstateAct,
	type EstateFile,
	type EstatePerson,
	type EstateSites
} from './schema';

/** An estate file holds no more than this; fifty thousand people and twenty thousand machines fit. */
const ESTATE_BOUNDS: Bounds = { characters: 100_000_000, depth: 30, nodes: 5_000_000, anchors: true };

/** Something wrong in an estate file, and where: lines and columns count from 1. */
export interface EstateProblem {
	file: string;
	line: number;
	column: number;
	/** Path within the file, such as `pools.3.line`. */
	path: string;
	message: string;
}

/** What is wrong with an act's kind of plan or its input: `path` leads from the act to it. */
export type CheckAct = (act: EstateAct) => { path: string[]; message: string }[];

/**
 * Reads an estate file. `fetchFile` gives the text of a file named beside it (the people's CSV), or null; `checkAct` knows the kinds of
 * plans. Either the whole estate, or every problem found in it with its position.
 */
export function readEstate(
	text: string,
	file: string,
	fetchFile: (name: string) => string | null,
	checkAct: CheckAct = () => []
): { estate: Estate } | { problems: EstateProblem[] } {
	const unread = text.indexOf('\uFFFD');
	if (unread >= 0)
		return {
			problems: [
				{
					file,
					line: lineOf(text, unread),
					column: 1,
					path: '',
					message: 'it is not UTF-8: save it as UTF-8 and try again'
				}
			]
		};
	const much = yamlBeyond(text, ESTATE_BOUNDS);
	if (much !== null) return { problems: [{ file, line: 1, column: 1, path: '', message: much }] };
	const lines = new LineCounter();
	const document = parseDocument(text, { lineCounter: lines, prettyErrors: false });
	if (document.errors.length) {
		return {
			problems: document.errors.map((e) => {
				const { line, col } = lines.linePos(e.pos[0]);
				return { file, line, column: col, path: '', message: e.message };
			})
		};
	}
	const problems: EstateProblem[] = [];
	const complain = (path: (string | number)[], message: string) =>
		problems.push({ file, ...positionOf(document, lines, path), path: path.join('.'), message });

	let value: unknown;
	try {
		value = document.toJS();
	} catch (e) {
		// An alias of nothing, or aliases of aliases that would be worth gigabytes.
		complain([], e instanceof Error ? e.message : String(e));
		return { problems };
	}
	const parsed = v.safeParse(estateSchema, value);
	if (!parsed.success) {
		for (const issue of parsed.issues) {
			const path = (issue.path ?? []).map((p) => p.key as string | number);
			complain(path, plainMessage(issue));
		}
		return { problems };
	}
	const estateFile = parsed.output;
	const { people, at } = readPeople(estateFile, fetchFile, complain, problems);
	checkReferences(estateFile, people, complain, at);
	const sites = readSites(estateFile, fetchFile, complain, problems);
	checkAccess(estateFile, people, sites, complain);
	if (problems.length) return { problems };
	const estate = {
		...estateFile,
		directory: { ...estateFile.directory, people },
		access: { ...estateFile.access, sites }
	};
	const laid = layOut(estate);
	for (const { pool, message } of laid.problems) complain(['pools', pool, 'count'], message);
	checkFaults(
		estate,
		laid.machines.map((m) => m.name),
		complain
	);
	checkActs(estate, checkAct, complain);
	return problems.length ? { problems } : { estate };
}

function plainMessage(issue: v.BaseIssue<unknown>): string {
	if (issue.type === 'strict_object' && issue.expected === 'never')
		return `unknown key “${String(issue.path?.at(-1)?.key)}”`;
	if (issue.received === 'undefined')
		return `“${String(issue.path?.at(-1)?.key)}” is missing: expected ${issue.expected?.toLowerCase() ?? 'a value'}`;
	return issue.message.startsWith('Invalid type')
		? `expected ${issue.expected?.toLowerCase()}, found ${issue.received}`
		: issue.message;
}

/** Where a person stands: in the estate file by their number, or in the CSV beside it. */
type PersonAt = (i: number, key: string, message: string) => void;

function readPeople(
	estate: EstateFile,
	fetchFile: (name: string) => string | null,
	complain: (path: (string | number)[], message: string) => void,
	problems: EstateProblem[]
): { people: EstatePerson[]; at: PersonAt } {
	const source = estate.directory.people;
	if (Array.isArray(source))
		return { people: source, at: (i, key, message) => complain(['directory', 'people', i, key], message) };
	const text = fetchFile(source.csv);
	if (text === null) {
		complain(['directory', 'people', 'csv'], `no file ${source.csv} beside this one`);
		return { people: [], at: () => {} };
	}
	const lines: number[] = [];
	let fields: string[] = [];
	const say = (line: number, key: string, message: string) =>
		problems.push({
			file: source.csv,
			line,
			column: Math.max(1, fields.indexOf(key) + 1),
			path: key,
			message
		});
	const unread = text.indexOf('\uFFFD');
	if (unread >= 0) {
		say(lineOf(text, unread), '', 'it is not UTF-8: names would be ruined. Save it as UTF-8 and try again');
		return { people: [], at: () => {} };
	}
	const people: EstatePerson[] = [];
	const rows = text.replace(/^\uFEFF/, '');
	let from = 0;
	let next = 1;
	Papa.parse<string[]>(rows, {
		step: ({ data, meta, errors }) => {
			const line = next;
			next += rows.slice(from, meta.cursor).split('\n').length - 1;
			from = meta.cursor;
			if (data.every((x) => x.trim() === '')) return;
			if (fields.length === 0) {
				fields = data.map((x) => x.trim());
				const twice = fields.find((x, k) => fields.indexOf(x) !== k);
				if (twice !== undefined) say(line, twice, `a second column “${twice}”`);
				for (const key of Object.keys(personSchema.entries))
					if (!fields.includes(key) && NEEDED.has(key)) say(line, key, `there is no column “${key}”`);
				return;
			}
			if (errors.length) return void say(line, '', errors[0]!.message);
			if (data.length > fields.length)
				return void say(line, '', `it has ${data.length} fields, and the first line names ${fields.length}`);
			const given: Record<string, unknown> = Object.fromEntries(
				fields.flatMap((key, k) => (data[k] === undefined || data[k] === '' ? [] : [[key, data[k]]]))
			);
			if ('managed_endpoint' in given) {
				const says = YES_NO.get(String(given.managed_endpoint).trim().toLowerCase());
				if (says === undefined) return void say(line, 'managed_endpoint', 'write yes or no');
				given.managed_endpoint = says;
			}
			// Several in one field, apart by blanks or semicolons.
			if (typeof given.teams === 'string') given.teams = given.teams.split(/[;\s]+/).filter(Boolean);
			const parsed = v.safeParse(personSchema, given);
			if (!parsed.success)
				return void say(line, String(parsed.issues[0].path?.[0]?.key ?? ''), plainMessage(parsed.issues[0]));
			people.push(parsed.output);
			lines.push(line);
		}
	});
	return { people, at: (i, key, message) => say(lines[i]!, key, message) };
}

/** What people of the lab may do by habit. */
const HABITUAL: ReadonlySet<string> = new Set(['site', 'category', 'service', 'channel']);
const YES_NO = new Map([
	['yes', true],
	['true', true],
	['1', true],
	['no', false],
	['false', false],
	['0', false]
]);
/** Columns that a list of people cannot be without. */
const NEEDED: ReadonlySet<string> = new Set(['login', 'name', 'team', 'site', 'pattern']);

/** The line that an offset of a text lies in, from 1. */
function lineOf(text: string, offset: number): number {
	let line = 1;
	for (let i = text.indexOf('\n'); i >= 0 && i < offset; i = text.indexOf('\n', i + 1)) line++;
	return line;
}

/** Every name that points somewhere must find something there; every id stands once. */
function checkReferences(
	estate: EstateFile,
	people: EstatePerson[],
	complain: (path: (string | number)[], message: string) => void,
	aboutPerson: PersonAt
): void {
	const ids = <T extends { id: string }>(list: T[], path: (string | number)[], what: string) => {
		const seen = new Map<string, T>();
		list.forEach((item, i) => {
			if (seen.has(item.id)) complain([...path, i, 'id'], `a second ${what} called ${item.id}`);
			seen.set(item.id, item);
		});
		return seen;
	};
	const need = (known: ReadonlyMap<string, unknown>, key: string, path: (string | number)[], what: string) => {
		if (!known.has(key)) complain(path, `no ${what} called ${key}`);
	};
	const sites = ids(estate.sites, ['sites'], 'site');
	// Nothing of ours stands yet at a place that is still to be joined up.
	const joined = (key: string, path: (string | number)[]) => {
		need(sites, key, path, 'site');
		if (sites.get(key)?.joined === false) complain(path, `${key} is still to be joined up`);
	};
	const hours = ids(estate.hours, ['hours'], 'calendar of hours');
	const teams = ids(estate.directory.teams, ['directory', 'teams'], 'team');
	const patterns = ids(estate.directory.patterns, ['directory', 'patterns'], 'work pattern');
	const lines = ids(estate.image_lines, ['image_lines'], 'image line');
	const pools = ids(estate.pools, ['pools'], 'pool');
	const publications = ids(estate.publications, ['publications'], 'publication');
	const stock = ids(estate.stock, ['stock'], 'stock system');
	const packages = new Map(estate.package_store.map((p) => [p.name, p]));
	ids(estate.hosts, ['hosts'], 'host');
	ids(estate.volumes, ['volumes'], 'volume');
	ids(estate.gateways, ['gateways'], 'gateway');
	const networks = new Map(estate.sites.flatMap((s) => s.networks.map((n) => [n.id, s.id] as const)));

	if (estate.home !== undefined) joined(estate.home, ['home']);
	estate.sites.forEach((s, i) => {
		s.holidays.forEach((written, j) => {
			const read = readHolidays(written, '2000-01-01');
			if ('problems' in read || read.days.length !== 1 || !/^\d{4}-/.test(written.trim()))
				complain(['sites', i, 'holidays', j], 'expected a day such as 2026-12-24, and what it is called behind it');
		});
		s.links.forEach((l, j) => {
			need(sites, l.to, ['sites', i, 'links', j, 'to'], 'site');
			if (l.to === s.id) complain(['sites', i, 'links', j, 'to'], `a link of ${s.id} to itself`);
		});
	});
	checkNetworks(estate, complain);
	estate.hosts.forEach((h, i) => need(sites, h.site, ['hosts', i, 'site'], 'site'));
	estate.volumes.forEach((h, i) => need(sites, h.site, ['volumes', i, 'site'], 'site'));
	estate.gateways.forEach((h, i) => need(sites, h.site, ['gateways', i, 'site'], 'site'));
	estate.directory.teams.forEach((t, i) => {
		if (t.parent !== undefined) need(teams, t.parent, ['directory', 'teams', i, 'parent'], 'team');
		t.habits.forEach((h, j) => {
			need(publications, h.publication, ['directory', 'teams', i, 'habits', j, 'publication'], 'publication');
			h.sites?.forEach((x, k) => need(sites, x, ['directory', 'teams', i, 'habits', j, 'sites', k], 'site'));
		});
		const above = new Set([t.id]);
		for (let up = t.parent; up !== undefined; up = teams.get(up)?.parent) {
			if (above.has(up)) {
				complain(['directory', 'teams', i, 'parent'], `team ${t.id} would stand above itself`);
				break;
			}
			above.add(up);
		}
	});
	const logins = new Set<string>();
	people.forEach((p, i) => {
		const known = (all: ReadonlyMap<string, unknown>, key: 'team' | 'site' | 'pattern', what: string) => {
			if (!all.has(p[key])) aboutPerson(i, key, `no ${what} called ${p[key]}`);
		};
		if (logins.has(p.login)) aboutPerson(i, 'login', `a second person with the login ${p.login}`);
		logins.add(p.login);
		known(teams, 'team', 'team');
		for (const t of p.teams) if (!teams.has(t)) aboutPerson(i, 'teams', `no team called ${t}`);
		known(sites, 'site', 'site');
		if (sites.get(p.site)?.joined === false) aboutPerson(i, 'site', `${p.site} is still to be joined up`);
		known(patterns, 'pattern', 'work pattern');
		if (p.ends !== undefined && p.ends <= (p.begins ?? 0)) aboutPerson(i, 'ends', 'they would end before they begin');
	});
	people.forEach((p, i) => {
		if (p.manager !== undefined && !logins.has(p.manager))
			aboutPerson(i, 'manager', `nobody with the login ${p.manager}`);
	});
	estate.directory.changes.forEach((c, i) => {
		const path = ['directory', 'changes', i];
		if (!logins.has(c.person)) complain([...path, 'person'], `nobody with the login ${c.person}`);
		if (c.at <= beginning(estate)) complain([...path, 'at'], 'it lies before the history begins');
		if (Object.keys(c).every((key) => ['at', 'told', 'person'].includes(key)))
			complain(path, 'expected what changes: team, teams, site, ends or the like');
		if (c.told !== undefined && c.told > c.at) complain([...path, 'told'], 'it lies behind the change itself');
		if (c.site !== undefined) joined(c.site, [...path, 'site']);
		if (c.pattern !== undefined) need(patterns, c.pattern, [...path, 'pattern'], 'work pattern');
		if (c.manager !== undefined && !logins.has(c.manager))
			complain([...path, 'manager'], `nobody with the login ${c.manager}`);
		if (c.team !== undefined) need(teams, c.team, [...path, 'team'], 'team');
		c.teams?.forEach((t, k) => need(teams, t, [...path, 'teams', k], 'team'));
	});
	estate.image_lines.forEach((l, i) => {
		const seen = new Set<string>();
		l.versions.forEach((version, j) => {
			if (seen.has(version.number))
				complain(['image_lines', i, 'versions', j, 'number'], `a second version ${version.number}`);
			seen.add(version.number);
		});
		l.sheet.steps.forEach(({ step }, j) => {
			for (const [key, param] of Object.entries(kindOf(step.kind)?.params ?? {})) {
				const value = step.with[key];
				if (param.kind !== 'from' || typeof value !== 'string') continue;
				const path = ['image_lines', i, 'sheet', 'steps', j, key];
				if (param.list === 'stock') need(stock, value, path, 'stock system');
				else if (param.list === 'package') need(packages, value, path, 'package in the package store');
				else if (param.list === 'line') need(lines, value, path, 'image line');
			}
		});
		l.past_builds.forEach((b, j) => {
			if (b.minutes.length !== l.sheet.steps.length)
				complain(
					['image_lines', i, 'past_builds', j, 'minutes'],
					`expected ${l.sheet.steps.length} figures, one for each step of the sheet`
				);
		});
	});
	estate.pools.forEach((p, i) => {
		joined(p.site, ['pools', i, 'site']);
		need(lines, p.line, ['pools', i, 'line'], 'image line');
		need(hours, p.policy.hours, ['pools', i, 'policy', 'hours'], 'calendar of hours');
		const line = lines.get(p.line);
		if (line && !line.versions.some((x) => x.number === p.version))
			complain(['pools', i, 'version'], `image line ${p.line} has no version ${p.version}`);
		if (line?.users === 'single' && p.sessions_per_machine > 1)
			complain(['pools', i, 'sessions_per_machine'], `image line ${p.line} is single-user: expected 1`);
		if (networks.get(p.network) !== p.site)
			complain(['pools', i, 'network'], `no network called ${p.network} at ${p.site}`);
		if (!estate.directory.folders.includes(p.folder))
			complain(['pools', i, 'folder'], `no folder ${p.folder} in the directory`);
		if (p.policy.least > p.policy.most) complain(['pools', i, 'policy', 'least'], 'expected no more than the most');
		const pattern = parsePattern(p.naming);
		if ('problem' in pattern) complain(['pools', i, 'naming'], pattern.problem);
		else if (p.count > 10 ** pattern.width - 1)
			complain(['pools', i, 'naming'], `expected more # signs: ${p.count} machines need their numbers`);
	});
	const boot = ids(estate.boot_servers, ['boot_servers'], 'boot server');
	estate.boot_servers.forEach((b, i) => need(sites, b.site, ['boot_servers', i, 'site'], 'site'));
	estate.pools.forEach((p, i) =>
		p.boot_servers.forEach((b, j) => need(boot, b, ['pools', i, 'boot_servers', j], 'boot server'))
	);
	checkEndpoints(estate, { sites, teams }, need, complain);
	const branches = new Map(estate.endpoints.branches.map((b) => [b.id, b]));
	const person = new Map(people.map((p) => [p.login, p]));
	const version = new Map(
		estate.image_lines.flatMap((l) => l.versions.map((x) => [`${l.id}/${x.number}`, x] as const))
	);
	checkSettings(
		estate,
		{ site: sites, line: lines, version, team: teams, branch: branches, pool: pools, person },
		complain
	);
	const found = new Set<string>();
	estate.existing.forEach((m, i) => {
		if (found.has(m.name)) complain(['existing', i, 'name'], `a second machine called ${m.name}`);
		found.add(m.name);
		need(sites, m.site, ['existing', i, 'site'], 'site');
		if (networks.get(m.network) !== m.site)
			complain(['existing', i, 'network'], `no network called ${m.network} at ${m.site}`);
		if (m.kind === 'virtual') {
			if (!estate.hosts.some((x) => x.id === m.host && x.site === m.site))
				complain(['existing', i, 'host'], 'expected a host of its site');
			if (!estate.volumes.some((x) => x.id === m.volume && x.site === m.site))
				complain(['existing', i, 'volume'], 'expected a volume of its site');
		}
	});
	estate.publications.forEach((p, i) =>
		p.pools.forEach((pool, j) => need(pools, pool, ['publications', i, 'pools', j], 'pool'))
	);
	estate.grants.forEach((g, i) => {
		need(publications, g.publication, ['grants', i, 'publication'], 'publication');
		if (g.team !== undefined) need(teams, g.team, ['grants', i, 'team'], 'team');
		if (g.person !== undefined && !logins.has(g.person))
			complain(['grants', i, 'person'], `no person with the login ${g.person}`);
		if ((g.team === undefined) === (g.person === undefined))
			complain(['grants', i], 'expected either a team or a person');
		if (g.hours !== undefined) need(hours, g.hours, ['grants', i, 'hours'], 'calendar of hours');
	});
}

/** Own settings have a usual value that fits them; groups say settings that there are, and are for what there is. */
function checkSettings(
	estate: EstateFile,
	known: Partial<Record<ReachKind, ReadonlyMap<string, unknown>>>,
	complain: (path: (string | number)[], message: string) => void
): void {
	const { catalogue, groups } = estate.settings;
	const seen = new Set<string>();
	catalogue.forEach((given, i) => {
		const own = readOwn(given);
		if ('key' in own) complain(['settings', 'catalogue', i, own.key], own.words);
		if (seen.has(given.id)) complain(['settings', 'catalogue', i, 'id'], `a second setting called ${given.id}`);
		seen.add(given.id);
	});
	const settings = byId(catalogueOf(catalogue));
	const names = new Set<string>();
	groups.forEach((given, i) => {
		const path = ['settings', 'groups', i];
		const read = readGroup(settings, given);
		if ('problems' in read) {
			for (const p of read.problems) complain([...path, ...p.path], p.words);
			return;
		}
		const { id, assigned, excluded } = read.group;
		if (names.has(id)) complain([...path, 'id'], `a second group called ${id}`);
		names.add(id);
		for (const [key, list] of Object.entries({ assigned, excluded }))
			list.forEach((r, j) => {
				if (WIDE.has(r.kind)) return;
				if (!known[r.kind]) complain([...path, key, j], `no ${r.kind} is known while an estate is read`);
				else if (!known[r.kind]!.has(r.id)) complain([...path, key, j], `no ${r.kind} called ${r.id}`);
			});
	});
}

/** The catalogue of web sites, from where it stands. */
function readSites(
	estate: EstateFile,
	fetchFile: (name: string) => string | null,
	complain: (path: (string | number)[], message: string) => void,
	problems: EstateProblem[]
): EstateSites {
	const source = estate.access.sites;
	const categories = new Map<string, string>();
	const sites = new Map<string, string>();
	if (typeof source.csv === 'string') {
		const text = fetchFile(source.csv);
		if (text === null) {
			complain(['access', 'sites', 'csv'], `no file ${source.csv} beside this one`);
			return { categories, sites };
		}
		const read = readCatalogue(text);
		if (!('problems' in read)) return read;
		const file = source.csv;
		for (const { line, words } of read.problems) problems.push({ file, line, column: 1, path: '', message: words });
		return { categories, sites };
	}
	for (const [category, names] of Object.entries(source as Record<string, string[]>)) {
		const id = categoryId(category);
		if (id === '') complain(['access', 'sites', category], 'expected the name of a category');
		categories.set(id, category);
		names.forEach((written, i) => {
			const name = siteName(written);
			if (name === null) complain(['access', 'sites', category, i], 'expected the name of a web site');
			else if (sites.has(name)) complain(['access', 'sites', category, i], `a second site called ${name}`);
			else sites.set(name, id);
		});
	}
	return { categories, sites };
}

/** Services are somewhere, rules speak of what there is, and tests do. */
function checkAccess(
	estate: EstateFile,
	people: readonly EstatePerson[],
	sites: EstateSites,
	complain: (path: (string | number)[], message: string) => void
): void {
	const { gateways, services, habits, rules, tests } = estate.access;
	const ids = (list: readonly { id: string }[]) => new Set(list.map((x) => x.id));
	const there: Record<Spoken, ReadonlySet<string>> = {
		team: ids(estate.directory.teams),
		person: new Set(people.map((p) => p.login)),
		pool: ids(estate.pools),
		site: ids(estate.sites),
		branch: ids(estate.endpoints.branches),
		category: new Set(sites.categories.keys()),
		service: ids(services),
		group: new Set(services.flatMap((s) => s.group ?? []))
	};
	const known: Known = { has: (kind, id) => there[kind].has(id), all: (kind) => there[kind] };
	estate.publications.forEach((p, i) => {
		const service = p.reaches?.startsWith('service/') ? p.reaches.slice('service/'.length) : null;
		if (service !== null && !there.service.has(service))
			complain(['publications', i, 'reaches'], `no private service called ${service}`);
		if (p.reaches !== undefined && p.pools.length > 0)
			complain(['publications', i, 'pools'], 'expected none: what is opened in a browser alone needs no machine');
		if (p.reaches === undefined && p.pools.length === 0)
			complain(['publications', i, 'pools'], 'expected the pools that serve it');
		p.relies_on.forEach((id, j) => {
			if (!there.service.has(id)) complain(['publications', i, 'relies_on', j], `no private service called ${id}`);
		});
	});
	gateways.forEach((g, i) => {
		if (gateways.findIndex((o) => o.id === g.id) < i)
			complain(['access', 'gateways', i, 'id'], `a second inner gateway called ${g.id}`);
		if (!there.site.has(g.site)) complain(['access', 'gateways', i, 'site'], `no site called ${g.site}`);
		if (readAddress(g.address) === null)
			complain(['access', 'gateways', i, 'address'], 'expected where it answers, as host:port');
	});
	services.forEach((s, i) => {
		if (s.gateway !== undefined && !gateways.some((g) => g.id === s.gateway))
			complain(['access', 'services', i, 'gateway'], `no inner gateway called ${s.gateway}`);
		if (s.runs_at !== undefined && !there.site.has(s.runs_at))
			complain(['access', 'services', i, 'runs_at'], `no site called ${s.runs_at}`);
		if (services.findIndex((o) => o.id === s.id) < i)
			complain(['access', 'services', i, 'id'], `a second service called ${s.id}`);
		s.hosts.forEach((h, j) => {
			if (serviceHost(h) === null)
				complain(['access', 'services', i, 'hosts', j], 'expected a name, an address or a range');
		});
		s.ports.forEach((h, j) => {
			if (servicePorts(h) === null)
				complain(['access', 'services', i, 'ports', j], 'expected a port, or some such as 8000-8010');
		});
	});
	habits.forEach((h, i) => {
		h.who.forEach((written, j) => {
			const read = readWhom(written, known);
			if ('wrong' in read) complain(['access', 'habits', i, 'who', j], read.wrong);
		});
		h.at?.forEach((id, j) => {
			if (!there.site.has(id)) complain(['access', 'habits', i, 'at', j], `no site called ${id}`);
		});
		h.what.forEach((w, j) => {
			const read = readWhat(w.reach, known);
			if ('wrong' in read) complain(['access', 'habits', i, 'what', j, 'reach'], read.wrong);
			else if (!HABITUAL.has(read.kind))
				complain(['access', 'habits', i, 'what', j, 'reach'], 'expected site/…, category/…, service/… or channel/…');
			else if (read.kind === 'channel' && read.upTo !== null)
				complain(['access', 'habits', i, 'what', j, 'reach'], 'how much passes is said by “up” and “down”');
			else if (read.kind === 'channel' && h.during !== 'work')
				complain(['access', 'habits', i, 'during'], 'what passes a session passes at work');
		});
		if (h.during === 'signed-out' && (h.who.length || h.at))
			complain(['access', 'habits', i, 'during'], 'devices that nobody is on are nobody’s: leave out who and at');
	});
	rules.forEach((written, i) => {
		if (rules.findIndex((o) => o.id === written.id) < i)
			complain(['access', 'rules', i, 'id'], `a second rule called ${written.id}`);
		const read = readRule(written, known);
		if ('problems' in read) for (const p of read.problems) complain(['access', 'rules', i, ...p.path], p.words);
	});
	tests.forEach((written, i) => {
		if (tests.findIndex((o) => o.name.trim() === written.name.trim()) < i)
			complain(['access', 'tests', i, 'name'], 'a second test that says the same');
		const read = readTest(written, known);
		if ('problems' in read) for (const p of read.problems) complain(['access', 'tests', i, ...p.path], p.words);
	});
}

/** Fleets stand at sites, branches hang on those before them, rules lead to branches, and no two ranges share addresses. */
function checkEndpoints(
	estate: EstateFile,
	{ sites, teams }: { sites: ReadonlyMap<string, unknown>; teams: ReadonlyMap<string, unknown> },
	need: (of: ReadonlyMap<string, unknown>, id: string, path: (string | number)[], what: string) => void,
	complain: (path: (string | number)[], message: string) => void
): void {
	const { fleets, branches, rules } = estate.endpoints;
	const known = new Map<string, number>();
	branches.forEach((b, i) => {
		const deep = (b.parent === undefined ? 0 : (known.get(b.parent) ?? 0)) + 1;
		if (deep > 20) complain(['endpoints', 'branches', i, 'parent'], 'expected branches at most 20 deep');
		if (known.has(b.id)) complain(['endpoints', 'branches', i, 'id'], `a second branch called ${b.id}`);
		if (b.parent !== undefined) need(known, b.parent, ['endpoints', 'branches', i, 'parent'], 'branch before it');
		if (b.site !== undefined) need(sites, b.site, ['endpoints', 'branches', i, 'site'], 'site');
		known.set(b.id, deep);
	});
	rules.forEach((r, i) => need(known, r.into, ['endpoints', 'rules', i, 'into'], 'branch'));
	const ids = new Set<string>();
	fleets.forEach((f, i) => {
		if (ids.has(f.id)) complain(['endpoints', 'fleets', i, 'id'], `a second fleet called ${f.id}`);
		ids.add(f.id);
		need(sites, f.site, ['endpoints', 'fleets', i, 'site'], 'site');
		f.teams?.forEach((t, j) => need(teams, t, ['endpoints', 'fleets', i, 'teams', j], 'team'));
		const pattern = parsePattern(f.naming);
		if ('problem' in pattern) complain(['endpoints', 'fleets', i, 'naming'], pattern.problem);
		const other =
			f.first === undefined
				? undefined
				: fleets.find((x) => x !== f && (x.serials.startsWith(f.serials) || f.serials.startsWith(x.serials)));
		if (other)
			complain(['endpoints', 'fleets', i, 'first'], `its serial numbers could be those of the fleet ${other.id}`);
	});
	const ranges: { range: string; first: number; last: number }[] = [];
	estate.sites.forEach((s, i) =>
		s.endpoint_ranges.forEach((range, j) => {
			const ends = rangeEnds(range);
			const other = ranges.find((r) => ends.first <= r.last && r.first <= ends.last);
			if (other) complain(['sites', i, 'endpoint_ranges', j], `it has addresses in common with ${other.range}`);
			ranges.push({ range, ...ends });
		})
	);
}

/** A network's addresses lie in its range, in order, and in no other network's. */
function checkNetworks(estate: EstateFile, complain: (path: (string | number)[], message: string) => void): void {
	const before: { id: string; range: string; first: number; last: number }[] = [];
	const ids = new Set<string>();
	estate.sites.forEach((site, i) =>
		site.networks.forEach(({ id, range, first, last }, j) => {
			const path = ['sites', i, 'networks', j];
			const ends = rangeEnds(range);
			for (const [key, address] of Object.entries({ first, last }))
				if (address < ends.first || address > ends.last) complain([...path, key], `expected an address of ${range}`);
			if (last < first) complain([...path, 'last'], 'expected an address after the first one');
			if (ids.has(id)) complain([...path, 'id'], `a second network called ${id}`);
			const other = before.find((n) => ends.first <= n.last && n.first <= ends.last);
			if (other) complain([...path, 'range'], `it has addresses in common with ${other.range} of ${other.id}`);
			ids.add(id);
			before.push({ id, range, ...ends });
		})
	);
}

/** What a fault is to happen to has to be there: the lab would stop at it in the middle of its history. */
function checkActs(
	estate: Estate,
	check: CheckAct,
	complain: (path: (string | number)[], message: string) => void
): void {
	const logins = new Set<string>();
	estate.operators.forEach((o, i) => {
		if (logins.has(o.login)) complain(['operators', i, 'login'], `a second operator ${o.login}`);
		logins.add(o.login);
		const { part, problems } = readPart(o.part);
		for (const words of problems) complain(['operators', i, 'part'], words);
		const there: Record<PartFacet, readonly { id: string }[]> = {
			site: estate.sites,
			team: estate.directory.teams,
			pool: estate.pools,
			line: estate.image_lines
		};
		for (const facet of PART_FACETS)
			for (const id of part[facet] ?? [])
				if (!there[facet].some((t) => t.id === id)) complain(['operators', i, 'part'], `no ${facet} ${id}`);
	});
	const people = new Set(estate.directory.people.map((p) => p.login));
	if (estate.visitor !== undefined && !people.has(estate.visitor))
		complain(['visitor'], `no person with the login ${estate.visitor}`);
	const begins = beginning(estate);
	estate.acts.forEach((act, i) => {
		const say = (path: (string | number)[], message: string) => complain(['acts', i, ...path], message);
		if (!logins.has(act.by) && !people.has(act.by)) say(['by'], `no operator and no person with the login ${act.by}`);
		if (act.consent && !logins.has(act.consent.by))
			say(['consent', 'by'], `no operator with the login ${act.consent.by}`);
		if (act.consent && act.consent.at <= act.at) say(['consent', 'at'], 'it is after the act');
		if (act.at <= begins || act.at >= estate.lab.opens)
			say(['at'], 'an act lies within the history: after it begins, and before the lab opens');
		if (act.start !== undefined && act.start <= act.at) say(['start'], 'it starts after it is committed');
		if (act.undo !== undefined && (act.undo <= act.at || act.undo >= estate.lab.opens))
			say(['undo'], 'it is undone after it is done, and before the lab opens');
		for (const { path, message } of check(act)) say(path, message);
	});
}

function checkFaults(
	estate: Estate,
	laid: readonly string[],
	complain: (path: (string | number)[], message: string) => void
): void {
	const named = <T>(list: readonly T[], key: (item: T) => string) => new Set(list.map(key));
	const sites = { what: 'site', all: named(estate.sites, (s) => s.id) };
	const machines = { what: 'machine', all: new Set([...laid, ...estate.existing.map((m) => m.name)]) };
	const targets: Record<(typeof FAULT_KINDS)[number], { what: string; all: ReadonlySet<string> } | null> = {
		'agent-stopped': machines,
		'machine-hangs': machines,
		runaway: machines,
		'trust-lost': machines,
		'disk-full': machines,
		'host-down': { what: 'host', all: named(estate.hosts, (h) => h.id) },
		'gateway-port': {
			what: 'gateway/protocol',
			all: new Set(estate.gateways.flatMap((g) => g.protocols.map((p) => `${g.id}/${p.name}`)))
		},
		'gateway-relay': {
			what: 'gateway with a relay',
			all: named(
				estate.gateways.filter((g) => g.relay),
				(g) => g.id
			)
		},
		'volume-full': { what: 'volume', all: named(estate.volumes, (x) => x.id) },
		'range-used-up': {
			what: 'network',
			all: named(
				estate.sites.flatMap((s) => s.networks),
				(n) => n.id
			)
		},
		'right-taken': { what: 'right of the builder’s account', all: new Set(Object.keys(RIGHTS)) },
		'link-down': {
			what: 'link, written site/site,',
			all: new Set(estate.sites.flatMap((s) => s.links.flatMap((l) => [`${s.id}/${l.to}`, `${l.to}/${s.id}`])))
		},
		'boot-server-down': { what: 'boot server', all: named(estate.boot_servers, (b) => b.id) },
		'join-refused': { what: 'folder in the directory', all: new Set(estate.directory.folders) },
		'directory-slow': sites,
		'provider-silent': sites,
		'directory-silent': sites,
		'names-wrong': sites,
		'clock-off': sites,
		'package-store-down': sites,
		'calling-untold': sites,
		'door-open': sites,
		'calling-unresolved': sites,
		'inner-gateway-down': { what: 'inner gateway', all: named(estate.access.gateways, (g) => g.id) },
		'service-down': { what: 'private service', all: named(estate.access.services, (s) => s.id) },
		'directory-put-back': { what: 'team', all: named(estate.directory.teams, (t) => t.id) },
		// Named by words of the step.
		'build-step-fails': null
	};
	estate.faults.forEach((f, i) => {
		const known = targets[f.kind];
		if (known && !known.all.has(f.target)) complain(['faults', i, 'target'], `no ${known.what} called ${f.target}`);
		if (f.until !== undefined && f.until <= f.at)
			complain(['faults', i, 'until'], 'expected a moment after the fault begins');
	});
}
