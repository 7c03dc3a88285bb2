import { compareInventories } from '$lib/server/packing/compare';
import { readBoth } from './packages';

/** One measurement in a process of its own: reads two inventories, or compares them. Prints ms and the most memory, as JSON. */
const [what, before, after] = process.argv.slice(2) as [string, string, string];
const began = performance.now();
const changes =
	what === 'bare' ? await readBoth([before, after]) : (await compareInventories(before, after)).changes.length;
const ms = performance.now() - began;
console.log(JSON.stringify({ ms, changes, rss: process.resourceUsage().maxRSS * 1024 }));
