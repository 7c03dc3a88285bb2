import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { existsSync, mkdtempSync, mkdirSync, readFileSync, symlinkSync, writeFileSync } from 'node:fs';
import { createServer as createHttp } from 'node:http';
import { createServer } from 'node:net';
import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { expect, type Page } from '@playwright/test';
import { accessible, commitAndFollow, pick, ready, test, visit } from './hands';

/** Starting, stopping and the command line, as an administrator meets them. */
const PORT = '4894';
// Node complains on stderr when both of these are set, as some test runners do.
const env = { ...process.env, NO_COLOR: undefined, FORCE_COLOR: undefined };
const folder = () => mkdtempSync(join(tmpdir(), 'sextant-cli-'));
const serve = (...args: string[]) =>
	spawnSync(process.execPath, ['build/node/serve.js', ...args], { encoding: 'utf8', timeout: 240_000, env });
const cli = (...args: string[]) =>
	spawnSync(process.execPath, ['build/node/cli.js', ...args], { encoding: 'utf8', maxBuffer: 1e9, env });

/** What a test that failed has left running: its port would stay taken for the others. */
const running = new Set<ChildProcess>();
test.afterEach(() => {
	for (const server of running) server.kill('SIGKILL');
	running.clear();
});

/** Starts a server, waits for its address, and gives what it printed and how to end it. */
async function started(...args: string[]) {
	const server = spawn(process.execPath, ['build/node/serve.js', '--port', PORT, ...args], {
		stdio: ['ignore', 'pipe', 'pipe'],
		env
	});
	running.add(server);
	let output = '';
	await new Promise<void>((ready, wrong) => {
		const hear = (chunk: Buffer) => {
			output += chunk.toString();
			if (/looks after[\s\S]*\n\n/.test(output)) setTimeout(ready, 100);
		};
		server.stdout.on('data', hear);
		server.stderr.on('data', hear);
		server.once('exit', (code) => wrong(new Error(`ended with ${code}: ${output}`)));
	});
	server.removeAllListeners('exit');
	return {
		output: () => output,
		end: async () => {
			const ended = new Promise((done) => server.once('exit', done));
			server.kill('SIGTERM');
			const code = await ended;
			running.delete(server);
			return code;
		}
	};
}

/** Makes the first operator with the code that a server printed, and signs in as them. */
async function firstOperator(page: Page, code: string): Promise<void> {
	for (const [label, text] of [
		['Code', code],
		['Login', 'ines'],
		['Name', 'Ines'],
		['Password', 'a long password']
	] as const)
		await page.getByLabel(label).fill(text);
	await page.getByRole('button', { name: 'Make the account' }).click();
	await page.getByLabel('Login').fill('ines');
	await page.getByLabel('Password').fill('a long password');
	await page.getByRole('button', { name: 'Sign in' }).click();
}

test.describe('a start that cannot be', () => {
	/** One clear line, an exit code that is not 0, and nothing left behind. */
	const refused = (result: ReturnType<typeof serve>, words: RegExp, lines = 1) => {
		expect(result.status).toBe(1);
		expect(result.stderr.trim().split('\n').at(-1)).toMatch(words);
		expect(result.stderr.trim().split('\n').length).toBeLessThanOrEqual(lines);
	};

	test('a port in use', async () => {
		const other = createServer().listen(Number(PORT), '127.0.0.1');
		await new Promise((done) => other.once('listening', done));
		const data = join(folder(), 'new');
		refused(serve('--demo', '--port', PORT, '--data', data), /port 4894 is in use; choose another with --port/);
		expect(existsSync(data)).toBe(false);
		// Who only makes the estate serves nobody.
		expect(serve('--estate', 'e2e/small.yaml', '--port', PORT, '--data', data, '--make').status).toBe(0);
		other.close();
	});

	test('a data folder that is a file', () => {
		const path = join(folder(), 'file');
		writeFileSync(path, 'x');
		refused(serve('--port', PORT, '--data', path), /cannot use the data folder/);
	});

	test('data that is no database', () => {
		const data = folder();
		writeFileSync(join(data, 'sextant.db'), 'not a database at all, but long enough to be looked at by SQLite as one');
		refused(serve('--port', PORT, '--data', data), /cannot read .*not a database/);
	});

	test('an estate file that is wrong, or not there', () => {
		const data = folder();
		const file = join(data, 'estate.yaml');
		writeFileSync(file, readFileSync('e2e/small.yaml', 'utf8').replace('Europe/Oslo', 'Europe/Atlantis'));
		const result = serve('--port', PORT, '--data', data, '--estate', file);
		refused(result, /has a problem; nothing was made/, 2);
		expect(result.stderr).toMatch(/estate\.yaml:\d+:\d+: sites\.0\.time_zone: expected a time zone/);
		expect(existsSync(join(data, 'sextant.db'))).toBe(false);
		refused(serve('--port', PORT, '--data', data, '--estate', join(data, 'none.yaml')), /there is no estate file/);
	});

	test('options that mean nothing', () => {
		refused(serve('--port', 'many'), /a port is a whole number/);
		refused(serve('--speed', '9999'), /a speed is a number from 0/);
		refused(serve('--colour', 'red'), /colour/);
	});
});

test('npm start: the first operator is made with a code that works once; a second start goes on', async ({ page }) => {
	const data = folder();
	const first = await started('--data', data, '--estate', 'e2e/small.yaml', '--speed', '60');
	const code = /works once: (\S+)/.exec(first.output())![1]!;
	expect(first.output()).not.toContain('Demo accounts');
	const base = `http://localhost:${PORT}`;
	await page.goto(base);
	await expect(page.getByRole('heading', { name: 'Make the first operator' })).toBeVisible();
	await page.getByLabel('Code').fill('guess');
	await page.getByLabel('Login').fill('ines');
	await page.getByLabel('Name').fill('Ines Haugland');
	await page.getByLabel('Password').fill('short');
	await page.getByRole('button', { name: 'Make the account' }).click();
	await expect(page.getByText('This is not the code')).toBeVisible();
	await expect(page.getByText('From 10 to 200 characters.')).toBeVisible();
	await expect(page.getByLabel('Login')).toHaveValue('ines');
	await page.getByLabel('Code').fill(code);
	await page.getByLabel('Password').fill('a long password');
	await page.getByRole('button', { name: 'Make the account' }).click();
	await page.getByLabel('Login').fill('ines');
	await page.getByLabel('Password').fill('a long password');
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page.getByText('Ines Haugland · owner')).toBeVisible();
	await page.goto(`${base}/welcome`);
	await expect(page).not.toHaveURL(/welcome/);
	const clock = async () =>
		((await (await page.request.get(`${base}/api/v1/lab/clock`)).json()) as { now: number }).now;
	const before = await clock();
	expect(await first.end()).toBe(0);

	// What else stands in the folder, however odd, keeps nobody from starting.
	mkdirSync(join(data, 'captures'), { recursive: true });
	writeFileSync(join(data, 'captures/notes.txt'), 'not a capture');
	symlinkSync('/nowhere', join(data, 'dangling'));
	const second = await started('--data', data);
	// It goes on: nothing is made anew.
	expect(second.output()).not.toContain('Making the estate');
	const after = await clock();
	expect(after).toBeGreaterThanOrEqual(before);
	expect(after - before).toBeLessThan(30 * 60_000);
	expect(second.output()).not.toContain('works once');
	await second.end();
	expect(serve('--port', PORT, '--data', data, '--estate', 'demo/empty.yaml').stderr).toMatch(
		/holds an estate already, made from another file; add --fresh/
	);
	// The estate that it was made from is no other file: the same command goes on.
	const third = await started('--data', data, '--estate', 'e2e/small.yaml');
	expect(await third.end()).toBe(0);
});

test('an estate with nothing in it says on every view what would be there', async ({ page }) => {
	const server = await started('--data', folder());
	const code = /works once: (\S+)/.exec(server.output())![1]!;
	const base = `http://localhost:${PORT}`;
	await page.goto(`${base}/welcome`);
	await firstOperator(page, code);
	for (const [path, words] of [
		['/', 'Nobody works here yet'],
		['/first', '0 of 10 steps done'],
		['/build', 'No image line'],
		['/publish', 'No pool lies in this scope'],
		['/secure', 'No grant lies in this scope'],
		['/scale', 'No pool lies in this scope'],
		['/watch', 'Nothing of this kind'],
		['/fix', 'Every machine that is up in this scope is usable'],
		['/jobs', 'No job yet'],
		['/changes', 'Add operator Ines as owner']
	] as const) {
		await page.goto(base + path);
		await expect(page.getByText(words).first(), path).toBeVisible();
	}
	await server.end();
});

test.describe('from nothing', () => {
	test.use({ baseURL: `http://localhost:${PORT}` });

	test('the way to the first desktop is gone from the first sign-in to somebody at work', async ({ page, browser }) => {
		test.setTimeout(420_000);
		const server = await started('--data', folder(), '--speed', '300');
		const code = /works once: (\S+)/.exec(server.output())![1]!;
		await page.goto('/welcome');
		await firstOperator(page, code);
		// It begins there by itself.
		await page.waitForURL(/\/first$/);
		await ready(page);
		const step = (title: string) => page.getByRole('main').getByRole('listitem').filter({ hasText: title });
		await expect(step('A site to run machines')).toHaveAttribute('aria-current', 'step');
		await expect(step('A pool of machines')).toContainText('a site with hosts comes first');
		await accessible(page);

		await step('A site to run machines').getByRole('link', { name: 'Join up a site' }).click();
		await ready(page);
		await page.getByRole('button', { name: 'Join up a site' }).click();
		await page.getByLabel('Address').fill('compute.first.new.example:8443');
		await page.getByRole('button', { name: 'Fetch its certificate' }).click();
		await expect(page.getByLabel('Account')).toBeVisible();
		// Left in the middle, it is found again from the way.
		await visit(page, '/first');
		await step('A site to run machines').getByRole('link', { name: 'Go on joining it up' }).click();
		await page.getByLabel('Account').fill('sextant');
		await page.getByLabel('Secret').fill('tideline');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await page.getByLabel('Name').fill('North');
		await page.getByLabel('Machines planned there').fill('10');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await page.getByLabel('Folder').selectOption('desks');
		await page.getByLabel('Directory account').fill('svc-join');
		await page.getByLabel('Its secret').fill('tideline');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await page.getByLabel('A host, an hour').fill('1.6');
		await page.getByLabel('A terabyte, a month').fill('30');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await page.getByRole('button', { name: 'Plan to join it up' }).click();
		expect(await commitAndFollow(page)).toBe('done');

		/** Does what a step offers, by its plan. */
		const take = async (title: string, button: string | RegExp) => {
			await visit(page, '/first');
			await step(title).getByRole('button', { name: button }).click();
			expect(await commitAndFollow(page)).toBe('done');
		};
		await take('Working hours', 'Plan these hours');
		await take('An image line', 'Plan a line of Meridian Server 24');
		await take('A version of it', 'Plan the build');
		await take('A version of it', /^Plan to release/);
		await visit(page, '/first');
		await expect(step('Profile disks')).toContainText('has the profile disk client');

		await step('People').getByRole('link', { name: 'Add somebody' }).click();
		await ready(page);
		await page.getByLabel('Name', { exact: true }).fill('Ada Byrne');
		await page.getByLabel('Login').fill('ada');
		await page.getByLabel('Site').selectOption({ label: 'North' });
		await page.getByRole('button', { name: 'Plan to add them' }).click();
		expect(await commitAndFollow(page)).toBe('done');

		await visit(page, '/first');
		await expect(step('A pool of machines')).toContainText('4 cores and 32 GB each, a sixteenth of a host');
		await take('A pool of machines', 'Plan this pool');
		await take('A publication', 'Plan the publication');
		// Nobody is of a team: it is granted to the person, by the form.
		await visit(page, '/first');
		await step('A grant').getByRole('link', { name: 'Choose whom' }).click();
		await ready(page);
		await pick(page, 'Publication', /Desks North/, 'desks');
		await page.getByLabel('To', { exact: true }).selectOption('person');
		await pick(page, 'Person', /Ada Byrne/, 'ada');
		await page.getByRole('button', { name: 'Plan the grant' }).click();
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/first');
		await expect(step('Somebody at work')).toContainText('Ada Byrne finds My desk on their shelf');
		await accessible(page);

		const my = await (await browser.newContext({ baseURL: `http://localhost:${PORT}` })).newPage();
		await my.goto('/my');
		await my.getByLabel('Login').fill('ada');
		await my.getByLabel('Password').fill('tideline');
		await expect(async () => {
			await my.getByLabel('Password').fill('tideline');
			await my.getByRole('button', { name: 'Sign in' }).click();
			await expect(my.getByRole('heading', { name: /^Hello/ })).toBeVisible({ timeout: 3000 });
		}).toPass();
		await my.getByRole('button', { name: /^Open/ }).click();
		await expect(my.getByText(/^on first-\d+/).first()).toBeVisible({ timeout: 120_000 });
		await my.context().close();
		await visit(page, '/first');
		await expect(page.getByRole('heading', { name: /^First desktop/ })).toContainText('somebody is at work');
		await expect(step('Somebody at work')).toContainText('Ada Byrne was the first');
		await server.end();
	});
});

test('a demo of another estate names somebody who is in it', async () => {
	const server = await started('--demo', '--data', folder(), '--estate', 'e2e/small.yaml');
	expect(server.output()).toMatch(/\/my, with the password \S+:\n {2}anna +person/);
	await server.end();
});

test.describe('the command line', () => {
	test('checks, describes and generates estates', () => {
		expect(cli('estate', 'check', 'demo/kittiwake/estate.yaml').stdout).toMatch(
			/is right: 8 sites, 24 hosts, 13 pools with 450 machines, 1249 people/
		);
		const schema = JSON.parse(cli('estate', 'schema').stdout) as { properties: Record<string, unknown> };
		expect(Object.keys(schema.properties)).toEqual(expect.arrayContaining(['sites', 'directory', 'pools', 'lab']));
		const file = join(folder(), 'large.yaml');
		writeFileSync(file, cli('estate', 'generate', '--people', '400', '--machines', '90', '--seed', '5').stdout);
		expect(cli('estate', 'check', file).stdout).toMatch(/90 machines, 400 people/);
		writeFileSync(file, 'sextant: 2\n');
		const wrong = cli('estate', 'check', file);
		expect(wrong.status).toBe(1);
		expect(wrong.stderr).toMatch(/large\.yaml:1:10: sextant: expected 1/);
	});

	test('backs up a running server, restores elsewhere, verifies, and finds tampering', async () => {
		const data = folder();
		const server = await started('--data', data, '--estate', 'e2e/small.yaml', '--speed', '600');
		const secret = cli('token', 'create', '--name', 'backup', '--role', 'owner', '--data', data).stdout.trim();
		const copy = join(folder(), 'copy.sextant');
		expect(cli('backup', copy, '--data', data).status).toBe(0);
		expect(cli('backup', copy, '--data', data).stderr).toMatch(/is there already/);
		await server.end();
		expect(cli('restore', copy, '--data', data).stderr).toMatch(/holds data already/);

		const elsewhere = join(folder(), 'restored');
		mkdirSync(elsewhere);
		expect(cli('restore', copy, '--data', elsewhere).stdout).toMatch(/holds what/);
		expect(cli('verify', '--data', elsewhere).stdout).toMatch(/whole/);
		const again = await started('--data', elsewhere);
		const answer = await fetch(`http://localhost:${PORT}/api/v1/machines?limit=1`, {
			headers: { authorization: `Bearer ${secret}` }
		});
		expect(((await answer.json()) as { total: number }).total).toBe(11);
		await again.end();

		const Database = (await import('better-sqlite3')).default;
		const db = new Database(join(elsewhere, 'sextant.db'));
		db.exec(`DROP TRIGGER changes_stay; UPDATE changes SET by = 'nobody' WHERE number = 1`);
		db.close();
		const verdict = cli('verify', '--data', elsewhere);
		expect([verdict.status, verdict.stderr]).toEqual([1, expect.stringMatching(/change log: broken at change 1/)]);

		const damaged = join(folder(), 'damaged');
		writeFileSync(damaged, readFileSync(copy).subarray(0, 20_000));
		const empty = join(folder(), 'empty');
		expect(cli('restore', damaged, '--data', empty).stderr).toMatch(/cannot be restored/);
		expect(existsSync(join(empty, 'sextant.db'))).toBe(false);
	});

	test('a change log that was cut and written on is found by a head of it that was sent elsewhere', async ({
		page
	}) => {
		const kept: string[] = [];
		const elsewhere = createHttp((request, answer) => {
			let line = '';
			request.on('data', (chunk: Buffer) => (line += chunk.toString()));
			request.on('end', () => {
				kept.push(line);
				answer.end();
			});
		});
		await new Promise<void>((ready) => elsewhere.listen(4895, '127.0.0.1', ready));
		try {
			const data = folder();
			const base = `http://localhost:${PORT}`;
			const server = await started('--data', data, '--estate', 'e2e/small.yaml', '--speed', '600');
			await page.goto(base);
			await firstOperator(page, /works once: (\S+)/.exec(server.output())![1]!);
			await expect(page.getByText('Ines · owner')).toBeVisible();
			await page.goto(`${base}/settings`);
			await ready(page);
			await page.getByLabel('To a web hook').fill('http://127.0.0.1:4895/heads');
			await page.getByRole('button', { name: 'Plan where they are sent' }).click();
			expect(await commitAndFollow(page)).toBe('done');
			await expect.poll(() => kept.length).toBeGreaterThan(0);
			const compare = async () => {
				await page.goto(`${base}/changes`);
				await ready(page);
				await page.getByText('Compare it with heads that were kept elsewhere').click();
				await page.getByRole('button', { name: 'Compare' }).click();
				await expect(page.getByText('Choose a file of heads, or paste their lines.')).toBeVisible();
				await page
					.getByLabel('A file of heads')
					.setInputFiles({ name: 'kept.heads', mimeType: 'text/plain', buffer: Buffer.from(kept.join('')) });
				await page.getByRole('button', { name: 'Compare' }).click();
			};
			await compare();
			await accessible(page);
			await expect(page.locator('main').getByRole('status')).toContainText(/It agrees with (1|one) head/);
			await server.end();

			const Database = (await import('better-sqlite3')).default;
			const db = new Database(join(data, 'sextant.db'));
			for (const { name } of db
				.prepare(`SELECT name FROM sqlite_schema WHERE type = 'trigger' AND tbl_name = 'changes'`)
				.all() as { name: string }[])
				db.exec(`DROP TRIGGER ${name}`);
			// Days go by in the lab, and leave lines of their own behind the head.
			const { number } = JSON.parse(kept[0]!) as { number: number };
			db.prepare('DELETE FROM changes WHERE number >= ?').run(number);
			db.close();
			// The chain of what is left holds: nothing but the head tells.
			const again = await started('--data', data);
			await compare();
			const said = page.locator('main').getByRole('status');
			await expect(said).toContainText('The change log is not what it was.');
			await expect(said).toContainText(/it has been cut|it was written anew/);
			await again.end();
		} finally {
			elsewhere.close();
		}
	});

	test('says how it is used when asked for what it does not know', () => {
		for (const args of [
			[],
			['estate'],
			['fly'],
			['token', 'create', '--name', 'x'],
			['estate', 'generate', '--people', 'some']
		]) {
			const result = cli(...args);
			expect(result.status, args.join(' ')).toBe(2);
			expect(result.stderr, args.join(' ')).toMatch(/usage|takes/);
		}
	});
});
