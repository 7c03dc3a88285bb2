import { readFileSync } from 'node:fs';
import { fileURLToPath } from 'node:url';
import { defineConfig } from 'vite';

const { dependencies } = JSON.parse(readFileSync('package.json', 'utf8')) as { dependencies: Record<string, string> };

// What runs outside SvelteKit: the server's entry, the command line, and the worker threads.
export default defineConfig({
	resolve: { alias: { $lib: fileURLToPath(new URL('./src/lib', import.meta.url)) } },
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
				packer: 'src/node/packer-thread.ts',
				reader: 'src/node/reader-thread.ts',
				bench: 'bench/bench.ts',
				'bench-difference': 'bench/difference.ts'
			},
			external: [...Object.keys(dependencies), '@playwright/test'],
			output: { entryFileNames: '[name].js', chunkFileNames: 'shared-[hash].js', format: 'es' }
		}
	}
});
