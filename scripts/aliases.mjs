import { fileURLToPath } from 'node:url';

// What `$lib` stands for, for tools that do not read the aliases of SvelteKit.
export default { resolve: { alias: { $lib: fileURLToPath(new URL('../src/lib', import.meta.url)) } } };
