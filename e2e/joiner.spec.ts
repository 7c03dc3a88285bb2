import { readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { mkdtempSync } from 'node:fs';
import { tmpdir } from 'node:os';
import { expect, type Browser, type Page } from '@playwright/test';
import { Secret, TOTP } from 'otpauth';
import { accessible, commitAndFollow, openReview, pick, signIn, test, visit } from './hands';
import { Server } from './own-server';

/** A person's way in, through and out: made ready on Friday, at work on Monday, gone on Tuesday, and back. On an estate without a directory's word. */
const PORT = 4892;
const BASE = `http://localhost:${PORT}`;
test.use({ baseURL: BASE });

/** The small estate on a Friday, with operators whom the demo's password lets in. */
function friday(): string {
	const file = join(mkdtempSync(join(tmpdir(), 'sextant-friday-')), 'estate.yaml');
	writeFileSync(
		file,
		readFileSync('e2e/small.yaml', 'utf8').replace('opens: 2026-11-17T10:00', 'opens: 2026-11-20T10:00') +
			'\noperators:\n  - { login: operator, name: Ines Haugland, role: operator }\n'
	);
	return file;
}

let server: Server;
test.beforeAll(async () => {
	server = new Server(PORT, '60', undefined, friday(), ['--demo']);
	await server.start();
});
test.afterAll(() => server.end());

const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
const row = (page: Page, name: string) => page.locator('main tbody tr').filter({ hasText: name });
const step = (hours: number) => server.call('POST', '/lab/clock', { step: hours * 3600 });
const phone = async (browser: Browser) =>
	(await browser.newContext({ viewport: { width: 390, height: 844 }, baseURL: BASE })).newPage();
const mailed = async () => {
	const { rows } = await server.call<{ rows: { to: string; body: string }[] }>('GET', '/lab/outbox');
	return rows.findLast((m) => m.body.includes('/my/welcome/'))!;
};
const code = (secret: string) => new TOTP({ secret: Secret.fromBase32(secret) }).generate();

test('somebody is made ready on Friday, comes in by the link, and opens their own machine on Monday', async ({
	page,
	browser
}) => {
	await signIn(page, 'operator');
	await visit(page, '/publish/people?make=person');
	await page.getByLabel('Name', { exact: true }).fill('Vera Sund');
	await page.getByLabel('Login').fill('vsund');
	await page.getByLabel('Mail').fill('vera@testbay.example');
	await page.getByLabel('Site').selectOption({ label: 'Quay' });
	await pick(page, 'Home team', 'Harbour');
	await page.getByLabel('First day').fill('Mon 23 Nov');
	await page.getByRole('button', { name: 'Plan to add them' }).click();
	expect(await commitAndFollow(page)).toBe('done');

	await visit(page, '/publish/people');
	await row(page, 'Vera Sund').getByRole('link', { name: 'Welcome Vera Sund' }).click();
	await expect(page.getByRole('region', { name: 'Which desk fits' })).toBeVisible();
	await page.getByLabel('A machine of their own').selectOption({ label: 'Own machines' });
	await pick(page, 'Also opens', 'Own machine');
	await expect(page.getByRole('status', { name: 'What it would do' })).toContainText('1 person affected');
	await accessible(page);
	await page.getByRole('button', { name: 'Plan the welcome' }).click();
	await expect(plan(page)).toContainText('Welcome Vera Sund');
	await openReview(page);
	const review = page.getByRole('complementary', { name: 'Plan in review' });
	await expect(review).toContainText('has Own machine; keeps own-01; is invited');
	expect(await commitAndFollow(page)).toBe('done');

	const mail = await mailed();
	expect(mail.to).toBe('vera@testbay.example');
	const link = /http\S+\/my\/welcome\/\S+/.exec(mail.body)![0];
	const my = await phone(browser);
	await my.goto(link);
	await expect(my.getByRole('heading', { name: 'Hello Vera Sund' })).toBeVisible();
	await expect(my.getByText('Your first day is Mon 23 Nov.')).toBeVisible();
	await accessible(my);
	await my.getByRole('button', { name: 'Set up your second factor' }).click();
	const secret = (await my.getByText(/^[A-Z2-7]{32}$/).textContent())!;
	await my.getByLabel('Code that the app shows').fill('000000');
	await my.getByRole('button', { name: 'Switch it on' }).click();
	await expect(my.getByRole('alert')).toContainText('This is not the code of this moment');
	await my.getByRole('button', { name: 'Set up your second factor' }).click();
	await expect(my.getByText(secret)).toHaveCount(0);
	const again = (await my.getByText(/^[A-Z2-7]{32}$/).textContent())!;
	await my.getByLabel('Code that the app shows').fill(code(again));
	await my.getByRole('button', { name: 'Switch it on' }).click();
	await expect(my.getByRole('heading', { name: 'You are ready' })).toBeVisible();
	await my.goto(link);
	await expect(my.getByRole('heading', { name: 'This link leads nowhere any more' })).toBeVisible();

	await my.goto('/my/sign-in');
	await my.getByLabel('Login').fill('vsund');
	await my.getByLabel('Password').fill('tideline');
	await my.getByRole('button', { name: 'Sign in' }).click();
	await expect(my.getByText('Your first day is Mon 23 Nov.')).toBeVisible();
	for (let hours = 0; hours < 72; hours += 12) await step(12);
	await my.getByLabel('Password').fill('tideline');
	await my.getByRole('button', { name: 'Sign in' }).click();
	await my.getByRole('listitem').filter({ hasText: 'My own machine' }).getByRole('button', { name: /Open/ }).click();
	await expect(my.getByText(/on own-01/).first()).toBeVisible({ timeout: 120_000 });
	await my.context().close();
});

test('they leave: nothing is left without an owner; and come back, with all of it', async ({ page }) => {
	await signIn(page, 'operator');
	// Requests for a publication go to her.
	const job = await server.begin('publication.change', {
		id: 'own',
		name: 'My own machine',
		internalName: 'Own machine',
		pools: ['own'],
		owner: 'vsund'
	});
	await server.finish(job);
	await visit(page, '/publish/people?card=person/vsund');
	const card = page.getByRole('complementary', { name: 'Card' });
	await expect(card).toContainText('own-01');
	await card.getByRole('link', { name: 'Let them leave' }).click();
	await expect(page.getByRole('heading', { name: /^Vera Sund leaves/ })).toBeVisible();
	await expect(page.getByText('it could not be committed: requests for Own machine would go to nobody')).toBeVisible();
	await page.getByLabel('Days that machine and files are kept').fill('many');
	await page.getByRole('button', { name: 'Plan their leave' }).click();
	await expect(page.getByText('Write whole days, such as 30.')).toBeVisible();
	await page.getByLabel('Days that machine and files are kept').fill('14');
	await pick(page, 'Who takes over', /Anna Quill/, 'anna');
	await page.getByLabel('Sessions that are open').selectOption({ label: 'sign out at once' });
	await accessible(page);
	await page.getByRole('button', { name: 'Plan their leave' }).click();
	await expect(plan(page)).toContainText('Let Vera Sund leave now');
	await openReview(page);
	await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText(
		'requests for Own machine go to Anna Quill'
	);
	expect(await commitAndFollow(page)).toBe('done');
	const owner = async () =>
		(await server.call<{ rows: { id: string; owner: string | null }[] }>('GET', '/publications')).rows.find(
			(p) => p.id === 'own'
		)!.owner;
	expect(await owner()).toBe('anna');
	await visit(page, '/publish/people?card=person/vsund');
	await expect(card).toContainText('took over');
	await expect(card).toContainText('Anna Quill');
	await accessible(page);
	await card.getByRole('button', { name: 'Take them back' }).click();
	await expect(plan(page)).toContainText('Take Vera Sund back');
	expect(await commitAndFollow(page)).toBe('done');
	expect(await owner()).toBe('vsund');
	await visit(page, '/publish/people?card=person/vsund');
	await expect(card).toContainText('own-01');
});

test('a pool is kept for a team: each has a machine, and the table says who and why', async ({ page }) => {
	await signIn(page, 'operator');
	await visit(page, '/publish/people?list=desks');
	await page.getByRole('link', { name: 'Keep a pool for a team' }).click();
	await page.getByRole('button', { name: 'Plan to keep it' }).click();
	await expect(page.getByText('Choose a team.')).toBeVisible();
	await pick(page, 'Team', 'Visitors');
	await page.getByLabel('Asks for employment').selectOption('employee');
	await page.getByRole('button', { name: 'Plan to keep it' }).click();
	await expect(plan(page)).toContainText('Keep Own machines for Visitors');
	await openReview(page);
	await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText('Vera Sund loses own-01');
	expect(await commitAndFollow(page)).toBe('done');
	await expect(async () => {
		await visit(page, '/publish/people?list=desks');
		await expect(page.getByRole('table', { name: 'desks' }).getByText('ready')).toBeVisible({ timeout: 1000 });
	}).toPass({ timeout: 120_000 });
	const table = page.getByRole('table', { name: 'desks' });
	await expect(table).toContainText('Eve Sloop');
	await expect(table).toContainText(/own-0\d/);
	await accessible(page);
	await page.getByRole('button', { name: 'Keep Own machines no longer' }).click();
	await expect(plan(page)).toContainText('Keep Own machines for Visitors no longer');
	expect(await commitAndFollow(page)).toBe('done');
});
