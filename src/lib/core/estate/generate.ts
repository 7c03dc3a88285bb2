/** An estate file as plain values, ready to be written as YAML. */
export type GeneratedEstate = Record<string, unknown>;

const FIRST = [
	'Aina',
	'Bjarne',
	'Cecil',
	'Dagny',
	'Eirik',
	'Frida',
	'Gudrun',
	'Halvor',
	'Ivar',
	'Jorunn',
	'Kari',
	'Leif',
	'Maren',
	'Nils',
	'Oda',
	'Per'
];
const LAST = [
	'Haugen',
	'Marlow',
	'Thorne',
	'Pascoe',
	'Eide',
	'Fosse',
	'Lovell',
	'Trewin',
	'Varga',
	'Sorrell',
	'Brekke',
	'Myhre',
	'Corkum',
	'Muise',
	'Tasker',
	'Winspear'
];
/** The largest pool that is made: beyond it, another is begun. */
const POOL = 900;

/**
 * A valid estate of a size: `people` spread over three sites, `machines` in pools of at most 900, hosts and
 * volumes to hold them. The same numbers and seed give the same estate.
 */
export function generateEstate(people: number, machines: number, seed: number): GeneratedEstate {
	let state = seed >>> 0 || 1;
	// Park and Miller's minimal standard generator: enough to vary names and hours.
	const random = () => (state = (state * 48271) % 2147483647) / 2147483647;
	const sites = ['north', 'middle', 'south'].map((id, i) => ({
		id,
		name: id[0]!.toUpperCase() + id.slice(1),
		time_zone: ['Europe/Oslo', 'America/Halifax', 'Australia/Hobart'][i]!,
		networks: [
			{ id: `${id}-desks`, range: `10.${i + 1}.0.0/16`, first: `10.${i + 1}.0.10`, last: `10.${i + 1}.255.250` }
		],
		endpoint_ranges: [`10.${i + 101}.0.0/16`],
		links:
			i === 0
				? [
						{ to: 'middle', mbit: 1000, latency_ms: 50 },
						{ to: 'south', mbit: 500, latency_ms: 150 }
					]
				: []
	}));
	const perMachine = Math.max(1, Math.min(12, Math.ceil((people * 0.8) / Math.max(1, machines))));
	const pools: Record<string, unknown>[] = [];
	const hosts: Record<string, unknown>[] = [];
	const volumes: Record<string, unknown>[] = [];
	sites.forEach((site, i) => {
		const here = Math.floor(machines / 3) + (i < machines % 3 ? 1 : 0);
		for (let made = 0, n = 1; made < here; n++) {
			const count = Math.min(POOL, here - made);
			made += count;
			pools.push({
				id: `${site.id}-${n}`,
				name: `Desks ${site.name} ${n}`,
				site: site.id,
				line: 'desk',
				version: '1.0.0',
				assignment: 'shared',
				sessions_per_machine: perMachine,
				cores: 4,
				memory: '16 GB',
				disk: '40 GB',
				count,
				naming: `${site.id[0]}${n}-####`,
				folder: 'desks',
				network: `${site.id}-desks`,
				price_hour: 0.15,
				policy: {
					hours: 'office',
					headroom_in: Math.ceil(count * perMachine * 0.15),
					headroom_out: perMachine,
					least: 1,
					most: count,
					patience: '25 min'
				}
			});
		}
		const hostsNeeded = Math.max(1, Math.ceil(here / 60));
		for (let n = 1; n <= hostsNeeded; n++)
			hosts.push({ id: `${site.id}-h${n}`, site: site.id, cores: 64, memory: '1 TB', price_hour: 1.9 });
		const volumesNeeded = Math.max(1, Math.ceil(here / 450));
		for (let n = 1; n <= volumesNeeded; n++)
			volumes.push({ id: `${site.id}-v${n}`, site: site.id, size: '22 TB', iops: 60000 });
	});
	return {
		sextant: 1,
		name: `Generated estate of ${people} people and ${machines} machines`,
		home: 'north',
		lab: { seed, opens: '2026-11-17T10:00:00+01:00', history_days: 1 },
		hours: [{ id: 'office', days: 'Mon-Fri', from: '06:30', until: '17:30' }],
		sites,
		hosts,
		volumes,
		gateways: sites.map((s) => ({
			id: `${s.id}-gw`,
			site: s.id,
			address: `${s.id}-gw.estate.example`,
			protocols: [
				{ name: 'stream', announced: 3478, listens: 3478 },
				{ name: 'framebuffer', announced: 5900, listens: 5900 }
			]
		})),
		directory: {
			folders: ['desks'],
			patterns: [
				{ id: 'day', kind: 'day', days: 'Mon-Fri', from: '08:00', until: '16:00', spread: '50 min', turnout: 0.9 }
			],
			teams: [
				{ id: 'everybody', name: 'Everybody' },
				...Array.from({ length: 12 }, (_, i) => ({
					id: `team-${i + 1}`,
					name: `Team ${i + 1}`,
					parent: 'everybody',
					habits: [{ publication: 'desk', chance: 0.95, cores: 0.5, memory: '3 GB' }]
				}))
			],
			people: Array.from({ length: people }, (_, i) => ({
				login: `p${i + 1}`,
				name: `${FIRST[Math.floor(random() * FIRST.length)]} ${LAST[Math.floor(random() * LAST.length)]}`,
				team: `team-${1 + Math.floor(random() * 12)}`,
				site: sites[i % 3]!.id,
				pattern: 'day'
			}))
		},
		stock: [
			{
				id: 'meridian-server-24',
				name: 'Meridian Server 24',
				system: 'Meridian Server 24',
				users: 'multi',
				least_disk: '64 GB',
				as_of: '2026-10-20T00:00:00Z',
				component: { name: 'Meridian Server', version: '24.10', size: '22 GB' }
			}
		],
		package_store: [{ name: 'desktop agent', version: '9.2', size: '150 MB' }],
		image_lines: [
			{
				id: 'desk',
				name: 'desk',
				system: 'Meridian Server 24',
				users: 'multi',
				boot: '80 s',
				versions: [
					{
						number: '1.0.0',
						built: '2026-10-20T12:00:00Z',
						by: 'generator',
						contents: [{ name: 'Meridian Server', version: '24.10', size: '22 GB' }]
					}
				],
				sheet: {
					limit: '3 h',
					builder: { cores: 4, memory: '16 GB', disk: '80 GB' },
					steps: [
						{ kind: 'source', system: 'meridian-server-24', takes: '6 min' },
						{ kind: 'agent', takes: '5 min' },
						{ kind: 'seal', takes: '20 min' }
					]
				}
			}
		],
		pools,
		publications: [{ id: 'desk', name: 'My desk', internal_name: 'Desk', pools: pools.map((p) => p.id) }],
		grants: [{ publication: 'desk', team: 'everybody', channels: ['clipboard'] }],
		endpoints: endpointsOf(sites, people),
		settings: settingsOf(sites)
	};
}

/** A desk box for two in three people of each site, laptops for the others, in a branch for each site by its network. */
function endpointsOf(sites: readonly { id: string; name: string; endpoint_ranges: string[] }[], people: number) {
	const fleet = (site: string, kind: string, i: number) => ({
		id: `${site}-${kind.replace(' ', '-')}s`,
		kind,
		model: kind === 'laptop' ? 'Roamer 2' : 'Stander 4',
		firmware: kind === 'laptop' ? '2.1.0' : '4.0.2',
		site,
		naming: `${site[0]}-${kind === 'laptop' ? 'lap' : 'box'}-#####`,
		serials: `${site[0]!.toUpperCase()}${i}-`
	});
	return {
		firmware: [
			{ model: 'Roamer 2', version: '2.2.0', size: '320 MB' },
			{ model: 'Stander 4', version: '4.1.0', size: '240 MB' }
		],
		fleets: sites.flatMap(({ id }, i) => [
			{ ...fleet(id, 'desk box', i), most: Math.ceil((people / 3) * (2 / 3)), breaks: 0.05 },
			{ ...fleet(id, 'laptop', i + 4), roams: 0.2, breaks: 0.3, lost: 0.05 }
		]),
		branches: [
			{ id: 'all', name: 'All' },
			...sites.map((s) => ({ id: s.id, name: s.name, parent: 'all', site: s.id })),
			{ id: 'on-the-road', name: 'On the road', parent: 'all' }
		],
		rules: [
			{ name: 'Laptops', condition: 'model is "Roamer 2"', into: 'on-the-road' },
			...sites.map((s) => ({ name: s.name, condition: `address in ${s.endpoint_ranges[0]}`, into: s.id })),
			{ name: 'Whatever else calls', condition: 'any device', into: 'all', whom: 'new' }
		]
	};
}

/** Groups of settings at three levels, one of which leaves hosted machines out. */
const settingsOf = (sites: readonly { id: string }[]) => ({
	groups: [
		{
			id: 'standard',
			name: 'Standard',
			rank: 50,
			values: { 'lock.after': '10 min', 'power.sleep-after': '30 min' },
			assigned: ['everything'],
			excluded: ['machines']
		},
		{
			id: 'on-the-road',
			name: 'On the road',
			rank: 100,
			values: { 'lock.after': '3 min' },
			assigned: ['branch/on-the-road']
		},
		...sites.map((s, i) => ({
			id: `lines-${s.id}`,
			name: `Lines of ${s.id}`,
			rank: 80,
			values: { 'displays.rate': [60, 30, 25][i % 3] },
			assigned: [`site/${s.id}`]
		}))
	]
});
