import { expect, type Page } from '@playwright/test';
import { Secret, TOTP } from 'otpauth';
import { commitAndFollow, signIn, test, visit } from './hands';
import { BASE } from './site';

test('an operator’s second factor is asked for at the next sign-in', async ({ page, browser }) => {
	await signIn(page, 'builder', true);
	await visit(page, '/settings');
	await page.getByRole('button', { name: 'Set it up' }).click();
	const secret = await page.getByText(/^[A-Z2-7]{32}$/).textContent();
	const code = (ahead: number) =>
		new TOTP({ secret: Secret.fromBase32(secret!.trim()) }).generate({ timestamp: Date.now() + ahead * 30_000 });
	await page.getByLabel('Code that the app shows').fill(code(-1));
	await page.getByRole('button', { name: 'Switch it on' }).click();
	await expect(page.getByText('It is on.')).toBeVisible();

	const other = await (await browser.newContext()).newPage();
	await other.goto('/sign-in');
	await other.getByLabel('Login').fill('builder');
	await other.getByLabel('Password').fill('tideline');
	await other.getByRole('button', { name: 'Sign in' }).click();
	await other.getByLabel(/code/i).fill(code(0));
	await other.getByRole('button', { name: 'Sign in' }).click();
	await expect(other.getByRole('navigation', { name: 'Stages' })).toBeVisible();
	await other.context().close();

	await page.getByLabel('Code', { exact: true }).fill('000000');
	await page.getByRole('button', { name: 'Switch it off' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'not the code' })).toBeVisible();
	await page.getByLabel('Code', { exact: true }).fill(code(1));
	await page.getByRole('button', { name: 'Switch it off' }).click();
	await expect(page.getByText(/It is off/)).toBeVisible();
});

test.describe('accounts, under Settings', () => {
	test.beforeEach(async ({ page }) => {
		await signIn(page, 'owner');
		await visit(page, '/settings');
	});
	const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });

	test('an operator is added: what is wrong stands beside its field, what was typed stays, and they sign in', async ({
		page,
		browser
	}) => {
		const add = page.getByRole('form', { name: 'Add an operator' });
		await add.getByLabel('Login').fill('N K');
		await add.getByLabel('Name').fill('Nils Kai');
		await add.getByLabel('First password').fill('short');
		await page.getByRole('button', { name: 'Plan the operator' }).click();
		await expect(page.getByText('Small letters, digits, dots and hyphens, 2 to 31 of them.')).toBeVisible();
		await expect(page.getByText('From 10 to 200 characters.')).toBeVisible();
		await expect(add.getByLabel('Login')).toHaveValue('N K');
		await add.getByLabel('Login').fill('nkai');
		await add.getByLabel('First password').fill('Nils-Kai-2026!');
		await page.getByRole('button', { name: 'Plan the operator' }).click();
		await expect(page.getByText(/made of their name or the estate’s/)).toBeVisible();
		await add.getByLabel('First password').fill('slack water at six');
		await add.getByLabel('Role').selectOption('auditor');
		await page.getByRole('button', { name: 'Plan the operator' }).click();
		await expect(plan(page)).toContainText('Add operator Nils Kai as auditor');
		expect(await commitAndFollow(page)).toBe('done');
		const other = await (await browser.newContext()).newPage();
		await other.goto('/sign-in');
		await other.getByLabel('Login').fill('nkai');
		await other.getByLabel('Password').fill('slack water at six');
		await other.getByRole('button', { name: 'Sign in' }).click();
		await expect(other.getByRole('navigation', { name: 'Stages' })).toBeVisible();
		await other.context().close();
	});

	test('a token works once its plan is committed, with the secret that was shown once', async ({
		page,
		playwright
	}) => {
		const tokens = page.locator('section').filter({ has: page.getByRole('heading', { name: /API tokens/ }) });
		await tokens.getByLabel('Name').fill('harbour script');
		await tokens.getByLabel('Role').selectOption('auditor');
		await tokens.getByRole('button', { name: 'Plan a token' }).click();
		await expect(plan(page)).toContainText('Create API token harbour script as auditor');
		const secret = (await tokens.getByRole('status').locator('code').textContent())!.trim();
		expect(secret).toMatch(/^sxt_[\w-]{43}$/);
		const by = await playwright.request.newContext({ extraHTTPHeaders: { authorization: `Bearer ${secret}` } });
		expect((await by.get(`${BASE}/api/v1/sites`)).status()).toBe(401);
		expect(await commitAndFollow(page)).toBe('done');
		expect((await by.get(`${BASE}/api/v1/sites`)).status()).toBe(200);
		// Whoever made it ends it by themselves.
		await page.goto('/settings');
		const own = page.getByRole('list', { name: 'Your tokens' });
		await expect(own).toContainText('harbour script');
		await own.getByRole('button', { name: 'Revoke token harbour script' }).click();
		await expect(own.getByText('harbour script')).toHaveCount(0);
		expect((await by.get(`${BASE}/api/v1/sites`)).status()).toBe(401);
		await by.dispose();
	});

	test('where heads of the change log go is a plan, refused beside its field', async ({ page }) => {
		await page.getByLabel('To a web hook').fill('nowhere');
		await page.getByRole('button', { name: 'Plan where they are sent' }).click();
		await expect(page.getByText('Write an address that begins with https://.')).toBeVisible();
		await page.getByLabel('To a web hook').fill('');
		await page.getByLabel('By mail to').fill('records@kept.example');
		await page.getByRole('button', { name: 'Plan where they are sent' }).click();
		await expect(plan(page)).toContainText('Send heads of the change log to records@kept.example');
	});

	test('how many people the directory may move at once is a plan, in percent as it is typed', async ({ page }) => {
		const share = page.getByLabel('May be moved or removed at once, of all people');
		await expect(share).toHaveValue('5 %');
		await share.fill('most');
		await page.getByRole('button', { name: 'Plan the share' }).click();
		await expect(page.getByText('Write a share such as 50 %.')).toBeVisible();
		await share.fill('120');
		await page.getByRole('button', { name: 'Plan the share' }).click();
		await expect(page.getByText('At most everybody.')).toBeVisible();
		await share.fill('8 %');
		await page.getByRole('button', { name: 'Plan the share' }).click();
		await expect(plan(page)).toContainText('Let the directory move or remove 8 % of people before somebody looks');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/settings');
		await expect(share).toHaveValue('8 %');
	});
});
