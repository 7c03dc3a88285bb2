// Gives many pools a version of a package, waits until it is there, and says who still has another one open.
//
//   SEXTANT=http://localhost:4870 TOKEN=… node docs/examples/deliver.mjs logline 3.1.0 start bridge-bergen bridge-halifax
//
// Run again with the earlier version, it puts everything back. Needs a token of a role that may commit plans of publishing.
const [name, version, mode, ...pools] = process.argv.slice(2);
if (!name || !version || !mode || pools.length === 0) {
	console.error('usage: deliver.mjs <package> <version> <start|sign-in|launch> <pool> …');
	process.exit(2);
}

async function call(method, path, body) {
	const response = await fetch(`${process.env.SEXTANT}/api/v1${path}`, {
		method,
		headers: { authorization: `Bearer ${process.env.TOKEN}`, 'content-type': 'application/json' },
		...(body ? { body: JSON.stringify(body) } : {})
	});
	const answer = await response.json();
	if (!response.ok) throw new Error(`${answer.title}: ${answer.detail ?? ''}`);
	return answer;
}

// Everything goes by a plan: what it touches and what stands in its way is known before.
const plan = await call('POST', '/plans', { kind: 'package.deliver', input: { package: name, version, mode, pools } });
console.log(plan.title);
for (const w of plan.warnings) console.log(`  note: ${w.words}`);
if (plan.blocks.length) {
	for (const b of plan.blocks) console.error(`  in the way: ${b.words}`);
	process.exit(1);
}
console.log(
	`  ${plan.effects.machines.length} machines now, ${plan.effects.people.length} people keep what they have open`
);

const { job: jobId } = await call('POST', `/plans/${plan.id}/commit`, {});
let job;
do {
	await new Promise((resolve) => setTimeout(resolve, 500));
	job = await call('GET', `/jobs/${jobId}`);
} while (job.ended === null);
console.log(`  job ${jobId} ${job.state}: ${JSON.stringify(job.result)}`);

const { rows } = await call('GET', '/deliveries?limit=500');
for (const d of rows.filter((x) => x.package === name && pools.includes(x.pool))) {
	console.log(`  ${d.poolName}: ${d.version} on ${d.attached} of ${d.up} machines that are up, open for ${d.people}`);
	for (const o of d.old) console.log(`    ${o.people} still have ${o.version} open`);
	for (const f of d.failing) console.log(`    ${f.machines} machines cannot have it: ${f.cause}`);
}
process.exit(job.state === 'done' ? 0 : 1);
