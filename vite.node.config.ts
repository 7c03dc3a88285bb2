import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

/**
 * What runs outside SvelteKit: the server's entry, the command line, and the worker threads. Libraries go in, but for compiled ones: each of
 * seven threads would otherwise look for hundreds of files as it starts.
 */
export default defineConfig({
	resolve: { alias: { $lib: fileURLToPath(new URL('./src/lib', import.meta.url)) } },
	ssr: { noExternal: true },
	build: {
		ssr: true,
		outDir: 'build/node',
		emptyOutDir: true,
		target: 'node20',
		minify: false,
		rollupOptions: {
			input: {
				serve: 'src/node/serve.ts',
				cli: 'src/node/cli.ts',
				lab: 'src/node/lab-thread.ts',
				engine: 'src/node/engine-thread.ts',
				history: 'src/node/history-thread.ts',
				twin: 'src/node/twin-thread.ts',
				packer: 'src/node/packer-thread.ts',
				reader: 'src/node/reader-thread.ts',
				bench: 'bench/bench.ts',
				'bench-difference': 'bench/difference.ts'
			},
			external: [
				'better-sqlite3',
				'@node-rs/argon2',
				'@cyclonedx/cyclonedx-library',
				'reflect-metadata',
				'rrule',
				'pdfmake',
				'@playwright/test',
				'highs'
			],
			output: {
				entryFileNames: '[name].js',
				chunkFileNames: 'shared-[hash].js',
				format: 'es',
				banner: "import 'reflect-metadata';"
			}
		}
	}
});
