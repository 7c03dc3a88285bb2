import { countWords, GB, sizeWords } from '../time/units';
import type { Fact } from '../why/explained';

/** What there is on the way from nothing to somebody at work, as far as it has come. */
export interface Found {
	sites: readonly {
		id: string;
		name: string;
		hosts: readonly { cores: number; memory: number }[];
		/** Free addresses of its networks. */
		networks: readonly { id: string; free: number }[];
	}[];
	/** A joining that has been begun and not ended. */
	joining: number | null;
	/** Folders of the directory for computer accounts. */
	folders: readonly string[];
	/** Systems that a line can begin with. */
	stock: readonly { id: string; name: string; users: 'single' | 'multi'; leastDisk: number }[];
	lines: readonly {
		id: string;
		name: string;
		users: 'single' | 'multi';
		/** In order; `profiles`: a profile disk client is in it. */
		versions: readonly { number: string; held: boolean; size: number; profiles: boolean }[];
		/** The job that builds one. */
		building: number | null;
	}[];
	/** Ids of calendars of hours. */
	hours: readonly string[];
	teams: readonly { id: string; name: string; people: number }[];
	people: number;
	pools: readonly {
		id: string;
		name: string;
		site: string;
		line: string;
		machines: number;
		job: number | null;
	}[];
	publications: readonly { id: string; name: string; pools: readonly string[] }[];
	grants: readonly { publication: string; to: string; people: number }[];
	/** Who has opened something, the first of all. */
	opened: { login: string; name: string } | null;
	/** Somebody whom a grant reaches, and the name of the publication. */
	reached: { login: string; name: string; publication: string } | null;
}

export const STEPS = [
	'site',
	'hours',
	'line',
	'version',
	'profiles',
	'people',
	'pool',
	'publication',
	'grant',
	'work'
] as const;
export type StepName = (typeof STEPS)[number];

/** What a step offers: a plan with its values worked out, or a page where it is done. */
export type Offer = { words: string; kind: string; input: object } | { words: string; href: string };

export interface Step {
	name: StepName;
	title: string;
	/** `under way`: a job works on it, or a form has been begun; `open`: it can be done now; the first such is the next. */
	state: 'done' | 'under way' | 'open' | 'blocked';
	facts: Fact[];
	offers: Offer[];
}

/** Of a shared machine: what a session is reckoned with until some have been measured. */
export const ASSUMED = { memory: 3 * GB, cores: 0.5, system: 4 * GB } as const;
/** Of a host: as many machines as this fit on it, so that few people are on each. */
const TO_A_HOST = 16;

/** What a first pool would be made of. */
export interface FirstPool {
	cores: number;
	memory: number;
	disk: number;
	perMachine: number;
	count: number;
}

/**
 * The size and number of a first pool's machines, for as many people as are there: a sixteenth of the site's smallest host each, sessions
 * by memory and cores as they are assumed, and no more machines than stand when one host fails, nor than there are free addresses.
 */
export function firstPool(
	hosts: Found['sites'][number]['hosts'],
	free: number,
	people: number,
	line: { users: 'single' | 'multi'; size: number }
): { value: FirstPool; facts: Fact[] } {
	const cores = Math.max(2, Math.floor(Math.min(...hosts.map((h) => h.cores)) / TO_A_HOST));
	const memory = Math.max(8, Math.floor(Math.min(...hosts.map((h) => h.memory)) / GB / TO_A_HOST)) * GB;
	const perMachine =
		line.users === 'single'
			? 1
			: Math.max(
					1,
					Math.min(Math.floor((memory - ASSUMED.system) / ASSUMED.memory), Math.floor(cores / ASSUMED.cores))
				);
	const fits = hosts.map((h) => Math.min(Math.floor(h.cores / cores), Math.floor(h.memory / memory)));
	const all = fits.reduce((a, b) => a + b, 0);
	// One host may fail, where there is more than one.
	const standing = hosts.length > 1 ? all - Math.max(...fits) : all;
	const wanted = Math.max(1, Math.ceil(people / perMachine));
	const count = Math.max(1, Math.min(wanted, standing, free));
	const disk = Math.max(20, Math.ceil((line.size * 1.5) / GB / 10) * 10) * GB;
	return {
		value: { cores, memory, disk, perMachine, count },
		facts: [
			{
				words: `${countWords(cores, 'core')} and ${sizeWords(memory)} each, a sixteenth of a host`,
				source: 'compute provider'
			},
			...(line.users === 'multi'
				? [
						{
							words: `${countWords(perMachine, 'session')} on each, at ${sizeWords(ASSUMED.memory)} and half a core a person until some have been measured`,
							source: 'assumption'
						}
					]
				: []),
			{
				words:
					count < wanted
						? `${countWords(count, 'machine')} of ${wanted} that ${countWords(people, 'person', 'people')} would want: ${free < standing ? `${countWords(free, 'address', 'addresses')} are free` : `more would not stand if a host failed`}`
						: `${countWords(count, 'machine')} for ${countWords(people, 'person', 'people')}`,
				source: free < standing ? 'networks' : 'hosts'
			}
		]
	};
}

const needs = (words: string): Fact => ({ words, side: 'against', source: 'steps before' });
const is = (words: string, about?: Fact['about']): Fact => ({ words, side: 'for', ...(about ? { about } : {}) });

/**
 * The way from nothing to somebody at work: each step done, under way, open or blocked by which, with what it would be done with, worked
 * out from the steps before. What is there already counts, whoever made it.
 */
export function firstWay(f: Found): Step[] {
	const site = f.sites.find((s) => s.hosts.length > 0) ?? f.sites[0];
	const line =
		f.lines.find((l) => l.versions.some((v) => !v.held)) ?? f.lines.find((l) => l.versions.length) ?? f.lines[0];
	const released = line?.versions.filter((v) => !v.held).at(-1);
	const held = line?.versions.filter((v) => v.held).at(-1);
	const pool = f.pools.find((p) => p.machines > 0) ?? f.pools[0];
	const publication = f.publications.find((p) => pool && p.pools.includes(pool.id)) ?? f.publications[0];
	const grant = f.grants.find((g) => g.publication === publication?.id && g.people > 0);
	const team = [...f.teams]
		.filter((t) => t.people > 0)
		.sort((a, b) => b.people - a.people || (a.id < b.id ? -1 : 1))[0];
	const step = (name: StepName, title: string, state: Step['state'], facts: Fact[], offers: Offer[] = []): Step => ({
		name,
		title,
		state,
		facts,
		offers: state === 'open' || state === 'under way' ? offers : []
	});

	return [
		site
			? step('site', 'A site to run machines', 'done', [
					is(`${site.name}, with ${countWords(site.hosts.length, 'host')}`, {
						kind: 'site',
						id: site.id,
						name: site.name
					})
				])
			: step(
					'site',
					'A site to run machines',
					f.joining === null ? 'open' : 'under way',
					[{ words: 'its compute provider, network, directory and the folder for computer accounts', source: 'sites' }],
					[
						f.joining === null
							? { words: 'Join up a site', href: '/build/sites' }
							: { words: 'Go on joining it up', href: `/build/sites/${f.joining}` }
					]
				),

		f.hours.length
			? step('hours', 'Working hours', 'done', [is(f.hours.join(', '))])
			: step(
					'hours',
					'Working hours',
					'open',
					[
						{
							words: 'Monday to Friday, 07:00 to 18:00, on the clock of the site: machines are kept ready then',
							source: 'assumption'
						}
					],
					[
						{
							words: 'Plan these hours',
							kind: 'hours.set',
							input: { name: 'office', days: [1, 2, 3, 4, 5], from: '07:00', until: '18:00' }
						}
					]
				),

		line
			? step('line', 'An image line', 'done', [is(line.name, { kind: 'line', id: line.id, name: line.name })])
			: step(
					'line',
					'An image line',
					f.stock.length ? 'open' : 'blocked',
					f.stock.length
						? [{ words: 'with a build sheet of what every version needs, in the right order', source: 'library' }]
						: [needs('no stock system is offered to begin with')],
					f.stock.map((s) => ({
						words: `Plan a line of ${s.name}`,
						kind: 'line.add',
						input: { name: s.name, system: s.id }
					}))
				),

		versionStep(),

		!released
			? step('profiles', 'Profile disks', 'blocked', [needs('they attach through the first version')])
			: released.profiles
				? step('profiles', 'Profile disks', 'done', [
						is(`${line!.name} ${released.number} has the profile disk client`)
					])
				: step(
						'profiles',
						'Profile disks',
						'open',
						[
							needs(`${line!.name} ${released.number} has no profile disk client: people begin anew at each sign-in`),
							{ words: 'a step for it in the build sheet, and another version', source: 'build sheet' }
						],
						[{ words: 'Change the build sheet', href: `/build/sheet?line=${encodeURIComponent(line!.id)}` }]
					),

		f.people > 0
			? step('people', 'People', 'done', [is(countWords(f.people, 'person', 'people'))])
			: step(
					'people',
					'People',
					site ? 'open' : 'blocked',
					site
						? [
								{
									words: 'from a directory or a program that tells of them, a list that is brought, or one by one',
									source: 'people'
								}
							]
						: [needs('a site comes first: people sit at one')],
					[
						{ words: 'Add somebody', href: '/publish/people?make=person' },
						{ words: 'Bring a list', href: '/publish/people?make=list' }
					]
				),

		poolStep(),

		publication
			? step('publication', 'A publication', 'done', [
					is(publication.name, { kind: 'publication', id: publication.id, name: publication.name })
				])
			: step(
					'publication',
					'A publication',
					pool ? 'open' : 'blocked',
					pool
						? [{ words: `the desktop of ${pool.name}, as people find it on their shelf`, source: 'pools' }]
						: [needs('a pool comes first')],
					[
						{
							words: 'Plan the publication',
							kind: 'publication.create',
							input: { name: 'My desk', internalName: pool?.name ?? '', pools: pool ? [pool.id] : [] }
						}
					]
				),

		grantStep(),

		f.opened
			? step('work', 'Somebody at work', 'done', [
					is(`${f.opened.name} was the first`, { kind: 'person', id: f.opened.login, name: f.opened.name })
				])
			: step(
					'work',
					'Somebody at work',
					f.reached ? 'open' : 'blocked',
					f.reached
						? [
								is(`${f.reached.name} finds ${f.reached.publication} on their shelf`, {
									kind: 'person',
									id: f.reached.login,
									name: f.reached.name
								})
							]
						: [needs('a grant that reaches somebody comes first')],
					[{ words: 'Open the portal', href: '/my' }]
				)
	];

	function versionStep(): Step {
		const title = 'A version of it';
		if (!line) return step('version', title, 'blocked', [needs('an image line comes first')]);
		if (released) return step('version', title, 'done', [is(`${line.name} ${released.number}, released`)]);
		if (line.building !== null)
			return step(
				'version',
				title,
				'under way',
				[{ words: 'it is being built', source: 'jobs' }],
				[{ words: `Follow job ${line.building}`, href: `/jobs/${line.building}` }]
			);
		if (held)
			return step(
				'version',
				title,
				'open',
				[is(`${line.name} ${held.number} is built, and held back until somebody releases it`)],
				[
					{
						words: `Plan to release ${held.number}`,
						kind: 'image.hold',
						input: { line: line.id, number: held.number, held: false }
					}
				]
			);
		if (!site) return step('version', title, 'blocked', [needs('a site comes first: it is built there')]);
		return step(
			'version',
			title,
			'open',
			[{ words: 'from the build sheet as it stands', source: 'build sheet' }],
			[
				{ words: 'Plan the build', kind: 'image.build', input: { line: line.id, note: 'the first' } },
				{ words: 'Look at the sheet first', href: `/build/sheet?line=${encodeURIComponent(line.id)}` }
			]
		);
	}

	function poolStep(): Step {
		const title = 'A pool of machines';
		if (pool && pool.machines > 0)
			return step('pool', title, 'done', [
				is(`${pool.name}, with ${countWords(pool.machines, 'machine')}`, { kind: 'pool', id: pool.id, name: pool.name })
			]);
		if (pool?.job != null)
			return step(
				'pool',
				title,
				'under way',
				[{ words: 'its machines are being made', source: 'jobs' }],
				[{ words: `Follow job ${pool.job}`, href: `/jobs/${pool.job}` }]
			);
		const network = site?.networks.toSorted((a, b) => b.free - a.free)[0];
		const missing = [
			...(site && site.hosts.length ? [] : [needs('a site with hosts comes first')]),
			...(released ? [] : [needs('a released version comes first')]),
			...(f.hours.length ? [] : [needs('working hours come first')]),
			...(site && (network?.free ?? 0) < 1 ? [needs(`no address is free in ${site.name}`)] : []),
			...(f.folders.length ? [] : [needs('the directory has no folder for computer accounts')])
		];
		if (missing.length) return step('pool', title, 'blocked', missing);
		const { value, facts } = firstPool(site!.hosts, network!.free, Math.max(1, f.people), {
			users: line!.users,
			size: released!.size
		});
		return step('pool', title, 'open', facts, [
			{
				words: 'Plan this pool',
				kind: 'pool.create',
				input: {
					name: `Desks ${site!.name}`,
					site: site!.id,
					line: line!.id,
					version: released!.number,
					...value,
					naming: `${namePart(site!.id)}-##`,
					folder: f.folders[0],
					network: network!.id,
					follows: 'newest'
				}
			},
			{ words: 'Choose otherwise', href: '/publish?make=pool' }
		]);
	}

	function grantStep(): Step {
		const title = 'A grant';
		if (grant)
			return step('grant', title, 'done', [
				is(`${publication!.name} to ${grant.to}: ${countWords(grant.people, 'person', 'people')}`)
			]);
		if (!publication) return step('grant', title, 'blocked', [needs('a publication comes first')]);
		if (f.people === 0) return step('grant', title, 'blocked', [needs('somebody to grant it to comes first')]);
		return step(
			'grant',
			title,
			'open',
			[
				{
					words: team
						? `${publication.name} to ${team.name}, the largest team: ${countWords(team.people, 'person', 'people')}`
						: 'nobody is of a team yet: grant it to a person, or make a team',
					source: 'directory'
				}
			],
			[
				...(team
					? [
							{
								words: `Plan the grant to ${team.name}`,
								kind: 'grant.add',
								input: { publication: publication.id, team: team.id, channels: ['clipboard'], kind: 'required' }
							}
						]
					: []),
				{ words: 'Choose whom', href: '/publish?make=grant' }
			]
		);
	}
}

/** The step to do next: the first that is open; null where none is. */
export const nextStep = (steps: readonly Step[]): Step | null =>
	steps.find((s) => s.state === 'open' && s.name !== 'profiles') ?? steps.find((s) => s.state === 'open') ?? null;

/** The beginning of names of machines at a site: letters and digits, at most eight. */
const namePart = (site: string): string => site.replaceAll(/[^a-z0-9]/g, '').slice(0, 8) || 'desk';
