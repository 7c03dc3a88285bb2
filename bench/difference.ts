import { readFileSync } from 'node:fs';
import { compareInventories } from '$lib/server/packing/compare';
import { readBoth } from './packages';

/** One measurement in a process of its own: reads two inventories, or compares them. Prints ms and the most memory, as JSON. */
const [what, before, after] = process.argv.slice(2) as [string, string, string];
const began = performance.now();
const changes =
	what === 'bare' ? await readBoth([before, after]) : (await compareInventories(before, after)).changes.length;
const ms = performance.now() - began;
// Not `maxRSS`: where a large process starts this one, that holds what the large one took (getrusage(2), over execve).
const peak = /VmHWM:\s+(\d+) kB/.exec(readFileSync('/proc/self/status', 'utf8'));
const rss = (peak ? Number(peak[1]) : process.resourceUsage().maxRSS) * 1024;
console.log(JSON.stringify({ ms, changes, rss }));
