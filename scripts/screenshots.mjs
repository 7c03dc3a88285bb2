// node scripts/screenshots.mjs: takes the pictures in docs/screenshots from a fresh demo, always at the same moment.
import { spawn } from 'node:child_process';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import { chromium as find, build, installPackages } from './prepare.mjs';

const packages = installPackages();
build();
await packages;
const executablePath = find();
const { chromium } = await import('@playwright/test');
const root = join(import.meta.dirname, '..');
const data = join(root, '.sextant/pictures');
const base = 'http://localhost:4896';

rmSync(data, { recursive: true, force: true });
console.log('Making the demo estate (a few minutes) …');
const server = spawn(
	process.execPath,
	[join(root, 'build/node/serve.js'), '--demo', '--port', '4896', '--data', data, '--speed', '1'],
	{ cwd: root }
);
await new Promise((ready) => server.stdout.on('data', (chunk) => String(chunk).includes('looks after') && ready()));

const browser = await chromium.launch({
	executablePath,
	args: ['--no-sandbox', '--disable-gpu', '--disable-quic', '--no-first-run']
});
const context = await browser.newContext({ viewport: { width: 1280, height: 800 } });
const page = await context.newPage();
const shot = async (name) => {
	await page.waitForTimeout(700);
	await page.screenshot({ path: join(root, 'docs/screenshots', `${name}.png`) });
};
const visit = async (path) => {
	await page.goto(base + path);
	await page.locator('html[data-ready="yes"]').waitFor();
};
await page.goto(`${base}/sign-in`);
await page.getByLabel('Login').fill('owner');
await page.getByLabel('Password').fill('tideline');
await page.getByRole('button', { name: 'Sign in' }).click();
await page.waitForURL(`${base}/`);

for (const [name, path] of [
	['today', '/'],
	['build', '/build?card=version/bridge-desk/3.2.0'],
	['reports', '/secure/reports?report=refused'],
	['rollouts', '/build/rollouts?line=bridge-desk&number=3.2.0'],
	['pools', '/build/pools'],
	['people', '/publish/people?card=person/omyhre'],
	['endpoints', '/publish/endpoints'],
	['settings', '/publish/settings'],
	['secure', '/secure?who=alindqvist&what=chart-studio&managed=no'],
	['rules', '/secure/rules'],
	['activity', '/secure/activity'],
	['scale', '/scale?pool=bridge-bergen'],
	['watch', '/watch?list=machines&card=machine/bgo-br-008'],
	['fix', '/fix']
]) {
	await visit(path);
	await shot(name);
}
await visit('/build/sites');
await shot('sites');

// Last, because the clock has to run for it: two apps captured, packages made of them.
const clock = (speed) => page.request.post(`${base}/api/v1/lab/clock`, { data: { speed }, headers: { origin: base } });
const commit = async () => {
	await page.getByRole('button', { name: 'Commit' }).click();
	await page.getByRole('button', { name: /^Job \d+$/ }).click();
	await page
		.getByText(/^\s*done/)
		.first()
		.waitFor({ timeout: 300_000 });
};
await clock(300);
for (const [installer, name] of [
	['soundings-2.2', 'Soundings 2.2.0'],
	['logline-3.0', 'Logline 3.0.0']
]) {
	await visit('/publish/packages');
	await page.getByLabel('Installer').selectOption(installer);
	await page.getByRole('button', { name: 'Plan the capture' }).click();
	await commit();
	await visit('/publish/packages');
	await page.getByRole('link', { name, exact: true }).click();
	await page.getByRole('tree').waitFor();
	await page.getByLabel('By pattern').fill('**/forms-runtime.dll');
	await page.getByRole('button', { name: 'Take', exact: true }).click();
	await page.getByText('take **/forms-runtime.dll').waitFor();
	await page.getByRole('button', { name: /^doubtful/ }).click();
	await page.getByRole('button', { name: 'Plan the package' }).click();
	await commit();
}
await visit('/publish/packages?card=package/logline');
await page
	.getByRole('button', { name: /: 1 file/ })
	.first()
	.click();
await shot('packages');

// Delivered while people work, then another version; published and granted, for the portal and the matrix.
const plan = async (kind, input) => {
	const headers = { origin: base };
	const drafted = await (await page.request.post(`${base}/api/v1/plans`, { data: { kind, input }, headers })).json();
	const { job } = await (await page.request.post(`${base}/api/v1/plans/${drafted.id}/commit`, { headers })).json();
	if (job === undefined) throw new Error(`${kind}: ${JSON.stringify(drafted)}`);
	for (;;) {
		const { state, ended } = await (await page.request.get(`${base}/api/v1/jobs/${job}`)).json();
		if (ended) return state;
		await page.waitForTimeout(300);
	}
};
await visit('/publish/packages');
await page.getByLabel('Installer').selectOption('logline-3.1');
await page.getByRole('button', { name: 'Plan the capture' }).click();
await commit();
await visit('/publish/packages');
await page.getByRole('link', { name: 'Logline 3.1.0', exact: true }).click();
await page.getByRole('button', { name: 'Decide alike' }).click();
await page.getByText('take **/forms-runtime.dll').waitFor();
await page.getByRole('button', { name: 'Plan the package' }).click();
await commit();
const app = { package: 'logline', target: 'logline' };
await plan('package.deliver', { package: 'logline', version: '1.0.0', pools: ['bridge-bergen', 'bridge-halifax'] });
await plan('publication.create', {
	name: 'Logline',
	internalName: 'Logline forms',
	description: 'The old forms for survey lines',
	icon: 'package',
	app,
	pools: ['bridge-bergen', 'bridge-halifax'],
	look: { group: 'Forms and tools' },
	licences: 400,
	owner: 'alindqvist'
});
await plan('grant.add', { publication: 'logline-forms', team: 'hydrography', channels: ['clipboard'] });
await plan('grant.add', { publication: 'logline-forms', team: 'charts', kind: 'optional', channels: [] });
await page.request.post(`${base}/api/v1/lab/clock`, { data: { step: 3000 }, headers: { origin: base } });
await page.waitForTimeout(3000);
await plan('package.deliver', { package: 'logline', pools: ['bridge-bergen'] });
await clock(1);
await visit('/publish/who?cell=charts/logline-forms');
await shot('who');
await visit('/publish');
await shot('publish');
const my = await (await browser.newContext({ viewport: { width: 1280, height: 800 } })).newPage();
await my.goto(`${base}/my`);
await my.getByLabel('Login').fill('alindqvist');
await my.getByLabel('Password').fill('tideline');
await my.getByRole('button', { name: 'Sign in' }).click();
await my.getByRole('heading', { name: /Hello/ }).waitFor();
await my.screenshot({ path: join(root, 'docs/screenshots/portal.png') });

await browser.close();
server.kill();
rmSync(data, { recursive: true, force: true });
