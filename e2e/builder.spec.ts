import { expect, test } from '@playwright/test';
import { accessible, api, commitAndFollow, signIn, visit } from './hands';

test.describe('the builder, before Tuesday', () => {
	test.beforeEach(async ({ page }) => {
		await signIn(page, 'builder');
		await api(page.request, 'post', '/lab/clock', { speed: 600 });
	});
	test.afterEach(async ({ page }) => {
		await api(page.request, 'post', '/lab/clock', { speed: 60 });
	});

	test('a sheet out of order says which step and why, and keeps what was typed', async ({ page }) => {
		await visit(page, '/build?line=watch-desk');
		await accessible(page);
		await page.getByRole('button', { name: 'Change the sheet' }).click();
		const last = page.getByRole('textbox', { name: /^Words of step/ }).last();
		const words = await last.inputValue();
		await last.focus();
		await page.keyboard.press('Alt+ArrowUp');
		await expect(page.getByText(new RegExp(`“${words}” must be last: whatever comes after it`))).toBeVisible();
		await page.getByLabel('Limit').fill('a while');
		await page.getByRole('button', { name: 'Plan this sheet' }).click();
		await expect(page.getByText('Write a duration such as 3 h 30 min.')).toBeVisible();
		await expect(page.getByLabel('Limit')).toHaveValue('a while');
	});

	test('builds a version, which fails at a step, names it, is resumed, and lands held', async ({ page }) => {
		const { id } = (await api(page.request, 'post', '/lab/faults', {
			kind: 'build-step-fails',
			target: 'Gaugetalk'
		})) as { id: number };
		await visit(page, '/build?line=watch-desk');
		await page.getByRole('button', { name: /Plan build 2.5.0/ }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toContainText('Build watch-desk 2.5.0');
		expect(await commitAndFollow(page)).toBe('failed');
		await expect(page.locator('main')).toContainText(
			'Install Gaugetalk and Logline: the step ended with exit code 1603'
		);
		await api(page.request, 'delete', `/lab/faults/${id}`);
		await visit(page, '/build?line=watch-desk');
		await page.getByRole('button', { name: 'Resume' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toContainText('at “Install Gaugetalk and Logline”');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/build?line=watch-desk&card=version/watch-desk/2.5.0');
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('held back from');
		await expect(card).toContainText('Gaugetalk');
		await card.getByRole('button', { name: 'Release it' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toContainText('Release watch-desk 2.5.0');
		expect(await commitAndFollow(page)).toBe('done');
	});
});
