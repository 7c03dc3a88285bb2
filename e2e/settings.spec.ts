import { expect, test } from '@playwright/test';
import { Secret, TOTP } from 'otpauth';
import { signIn, visit } from './hands';

test('an operator’s second factor is asked for at the next sign-in', async ({ page, browser }) => {
	await signIn(page, 'builder');
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
