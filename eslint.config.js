import js from '@eslint/js';
import regexp from 'eslint-plugin-regexp';
import svelte from 'eslint-plugin-svelte';
import globals from 'globals';
import ts from 'typescript-eslint';
import svelteConfig from './svelte.config.js';

/** Nothing in `from` may import from `what`: layers only look downwards. */
const forbid = (from, what, why) => ({
	files: from,
	rules: { 'no-restricted-imports': ['error', { patterns: [{ group: what, message: why }, ALL_ICONS] }] }
});
/** From where all icons come at once: seventeen hundred components to be compiled with every build. */
const ALL_ICONS = { regex: '^@lucide/svelte$', message: 'Icons are taken one by one, from `@lucide/svelte/icons/…`.' };

export default ts.config(
	{
		ignores: [
			'build/',
			'.svelte-kit/',
			'node_modules/',
			'data/',
			'test-results/',
			'playwright-report/',
			'e2e/client/schema.d.ts',
			'e2e/client/wrong.ts'
		]
	},
	js.configs.recommended,
	...ts.configs.recommended,
	...svelte.configs.recommended,
	{ languageOptions: { globals: { ...globals.node, ...globals.browser } } },
	{
		files: ['**/*.svelte', '**/*.svelte.ts'],
		languageOptions: { parserOptions: { extraFileExtensions: ['.svelte'], parser: ts.parser, svelteConfig } }
	},
	{
		// What people, files and programs send is matched: no pattern may take more than a little longer than its text.
		plugins: { regexp },
		rules: {
			'regexp/no-super-linear-backtracking': ['error', { report: 'potential' }],
			'regexp/no-super-linear-move': ['error', { report: 'potential' }],
			'regexp/no-dupe-disjunctions': 'error',
			'regexp/no-useless-quantifier': 'error'
		}
	},
	{
		// Tests match what they have made themselves.
		files: ['e2e/**', '**/*.test.ts'],
		rules: { 'regexp/no-super-linear-move': 'off' }
	},
	{
		rules: {
			'no-undef': 'off',
			'svelte/no-navigation-without-resolve': 'off',
			'svelte/no-unused-svelte-ignore': 'off',
			'svelte/require-each-key': 'error',
			'@typescript-eslint/no-unused-vars': ['error', { argsIgnorePattern: '^_', varsIgnorePattern: '^_' }]
		}
	},
	{
		files: ['src/**/*.ts'],
		ignores: ['**/*.test.ts', 'src/lib/server/db/**'],
		rules: {
			'no-restricted-syntax': [
				'error',
				...[
					[
						String.raw`/INSERT (OR \w+ )?INTO \w+ VALUES/`,
						'Columns are named (`insertRow`): a column more, or in another place, is no reason for rows to be wrong.'
					],
					[
						String.raw`/(INSERT[^(]* INTO|UPDATE|DELETE FROM) [^;]*\buntil\b *(,|=) *(max|@|\?)/`,
						'Intervals are opened and closed in `db/intervals`, where it is known what began at the same moment.'
					],
					[
						String.raw`/since <= ([@?:]\w*) AND (\w+\.)?until > \1/`,
						'What is in force at a moment is `asOf` of `db/intervals`: of a table that is declared there.'
					]
				].flatMap(([pattern, message]) =>
					[`Literal[value=${pattern}]`, `TemplateElement[value.raw=${pattern}]`].map((selector) => ({
						selector,
						message
					}))
				),
				{
					selector: 'CallExpression > CallExpression[callee.property.name="transaction"].callee',
					message:
						'A transaction that reads before it writes fails at once where another connection writes meanwhile: `.immediate()` waits its turn.'
				}
			]
		}
	},
	forbid(
		['src/lib/core/**'],
		['$lib/server/*', '$lib/ui/*', '$app/*', '$env/*', 'better-sqlite3', 'svelte', '**/server/**', '**/ui/**'],
		'The core is pure: no database, no interface, no server.'
	),
	forbid(
		['src/lib/server/**'],
		['$lib/ui/*', '$app/*', '**/ui/**', '**/routes/**'],
		'The server layer does not know the interface.'
	),
	forbid(
		['src/lib/ui/**'],
		['$lib/server/*', '**/server/**', '**/routes/**'],
		'Components are given what they show; they do not read the estate.'
	),
	// What goes wrong is logged (`server/log.ts`).
	{ files: ['src/**'], rules: { 'no-console': ['error', { allow: ['log'] }] } },
	{
		files: ['src/routes/**', 'src/hooks.server.ts'],
		rules: {
			'no-restricted-imports': [
				'error',
				{
					paths: [
						{
							name: '$lib/server/db',
							importNames: ['all', 'allColumns', 'one', 'run', 'openDb'],
							message: 'Pages ask areas: what is read of the database has a name there.'
						}
					],
					patterns: [ALL_ICONS]
				}
			]
		}
	}
);
