import { existsSync, readdirSync } from 'node:fs';

const SERVER = 'src/lib/server';
const areas = readdirSync(SERVER).filter((name) => existsSync(`${SERVER}/${name}/manifest.ts`));
const anyOf = (names) => `(${names.join('|')})`;
const TESTS = String.raw`\.test\.ts$|^src/lib/server/testing/|^bench/|^e2e/`;

/** What stands above the areas: it is put together from them, and they know nothing of it. */
const ABOVE = ['api', 'engine', 'house', 'live', 'simulator'];
const ABOVE_FILES = [
	'acts',
	'areas',
	'backup',
	'history',
	'load',
	'lockstep',
	'process',
	'runtime',
	'settle',
	'verify'
];

/** Who may know the lab: whatever begins one, keeps its files, or is its bench. */
const LAB = [
	'src/lib/server/simulator/',
	'src/lib/server/(history|lockstep|backup|process)\\.ts$',
	'src/node/(lab-thread|history-thread|twin|twin-thread|serve|cli)\\.ts$'
];

/** @type {import('dependency-cruiser').IConfiguration} */
export default {
	forbidden: [
		{
			name: 'no-circle-of-files',
			comment: 'Two files that need each other are one file, or hide a third.',
			severity: 'error',
			from: { pathNot: TESTS },
			to: { circular: true }
		},
		{
			name: 'no-circle-of-areas',
			comment: 'Areas stand upon each other: what both need lies below both.',
			severity: 'error',
			scope: 'folder',
			from: { path: `^${SERVER}/[^/]+$` },
			to: { circular: true, path: `^${SERVER}/[^/]+$` }
		},
		{
			name: 'by-the-face',
			comment: 'An area is used by its index.ts alone.',
			severity: 'error',
			from: { path: `^src/(lib/server/([^/]+)/|.*)`, pathNot: TESTS },
			to: { path: `^${SERVER}/${anyOf(areas)}/`, pathNot: [`^${SERVER}/[^/]+/index\\.ts$`, `^${SERVER}/$2/`] }
		},
		{
			name: 'areas-know-nothing-above',
			comment: 'The house is put together from manifests: an area does not look at it.',
			severity: 'error',
			from: { path: `^${SERVER}/${anyOf(areas)}/`, pathNot: TESTS },
			to: { path: [`^${SERVER}/${anyOf(ABOVE)}/`, `^${SERVER}/${anyOf(ABOVE_FILES)}\\.ts$`] }
		},
		{
			name: 'rooms-know-no-area',
			comment: 'Shared rooms lie below all areas.',
			severity: 'error',
			from: {
				path: `^${SERVER}/(db|samples|providers|moment|changes|identity|jobs|plans|packing|lists|calls|things)/`,
				pathNot: TESTS
			},
			to: { path: `^${SERVER}/${anyOf([...areas, ...ABOVE])}/` }
		},
		{
			name: 'the-lab-is-shut',
			comment: 'Sextant learns of the lab through providers only.',
			severity: 'error',
			from: { pathNot: [...LAB, TESTS] },
			to: { path: `^${SERVER}/simulator/` }
		},
		{
			name: 'areas-are-read-in-once',
			comment: 'The process and its readers have them from the routes: to read them in twice takes a third of a start.',
			severity: 'error',
			from: { path: '^src/node/(serve|readers|reader-thread|disk)\\.ts$' },
			to: { path: `^${SERVER}/(areas|runtime)\\.ts$`, reachable: true }
		},
		{
			name: 'the-core-is-pure',
			comment: 'No database, no interface, no server, no clock of its own.',
			severity: 'error',
			from: { path: '^src/lib/core/', pathNot: TESTS },
			to: { path: ['^src/lib/(server|ui)/', '^src/(routes|node)/', 'better-sqlite3', 'node_modules/svelte/'] }
		},
		{
			name: 'the-server-knows-no-page',
			severity: 'error',
			from: { path: `^${SERVER}/` },
			to: { path: ['^src/lib/ui/', '^src/(routes|node)/'] }
		},
		{
			name: 'parts-of-pages-know-no-server',
			comment: 'Types may be shared; what runs in the browser asks by the API.',
			severity: 'error',
			from: { path: '^src/lib/ui/' },
			to: { path: [`^${SERVER}/`, '^src/routes/'], dependencyTypesNot: ['type-only'] }
		},
		{
			name: 'nothing-unresolved',
			severity: 'error',
			from: {},
			to: { couldNotResolve: true, pathNot: '^\\$(app|env|service-worker)|^virtual:' }
		}
	],
	options: {
		doNotFollow: { path: 'node_modules' },
		exclude: { path: ['\\.test\\.ts$', '^src/lib/server/testing/', '\\.svelte-kit/', '^build/'] },
		tsPreCompilationDeps: true,
		tsConfig: { fileName: 'tsconfig.json' },
		webpackConfig: { fileName: 'scripts/aliases.mjs' },
		enhancedResolveOptions: {
			exportsFields: ['exports'],
			conditionNames: ['svelte', 'import', 'node', 'types', 'default'],
			extensions: ['.ts', '.js', '.mjs', '.svelte', '.svelte.ts']
		}
	}
};
