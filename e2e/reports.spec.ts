import { readFileSync } from 'node:fs';
import { expect, type Page } from '@playwright/test';
import { accessible, commitAndFollow, signIn, test, visit } from './hands';

/** A question, and the list that answers it, as a file. */
const file = async (page: Page, name: 'as CSV' | 'as PDF') => {
	const download = page.waitForEvent('download');
	await page.getByRole('link', { name, exact: true }).click();
	return readFileSync((await (await download).path())!);
};

test('a report is built from a list and its scope, made, and leaves as CSV and PDF', async ({ page }) => {
	await signIn(page, 'operator');
	await visit(page, '/watch?list=machines&scope=site:bergen');
	await page.getByRole('link', { name: 'as a report' }).click();
	await expect(page.getByRole('heading', { name: /^A new report/ })).toBeVisible();
	await expect(page.getByRole('textbox', { name: /^Of/ })).toHaveValue('site:bergen');
	await page.getByLabel('Question that it answers').fill('What is on in Bergen?');
	await page.getByLabel('Name', { exact: true }).fill('On in Bergen');
	await page.getByLabel('Put together by').selectOption('state');
	await page.getByLabel('Drawn').selectOption('rows');
	const looks = page.getByRole('region', { name: 'How it would look' });
	await expect(looks.getByRole('table')).toContainText('off');
	await accessible(page);
	await page.getByRole('button', { name: 'Plan the report' }).click();
	await commitAndFollow(page);

	await visit(page, '/secure/reports');
	await page.getByRole('link', { name: 'On in Bergen', exact: true }).click();
	await page.getByRole('button', { name: 'Plan to make it' }).click();
	await commitAndFollow(page);
	await visit(page, '/secure/reports?report=on-in-bergen');
	await expect(page.getByRole('table', { name: 'On in Bergen' })).toContainText('off');
	const csv = (await file(page, 'as CSV')).toString('utf8').split('\r\n');
	expect(csv[0]).toMatch(/^state,rows,/);
	const bergen = (
		(await (await page.request.get('/api/v1/machines?scope=site:bergen&limit=1')).json()) as { total: number }
	).total;
	expect(csv.slice(1, -1).reduce((n, line) => n + Number(line.split(',')[1]), 0)).toBe(bergen);
	expect((await file(page, 'as PDF')).subarray(0, 5).toString()).toBe('%PDF-');
	await accessible(page);

	// It comes back by itself, until it is told not to.
	await page.getByRole('button', { name: 'Plan the schedule' }).click();
	await commitAndFollow(page);
	await visit(page, '/secure/reports?report=on-in-bergen');
	await page.getByRole('button', { name: 'No longer by itself' }).click();
	await commitAndFollow(page);
});

test('what tells what single people reached is made saying why, and that stays on record', async ({ page }) => {
	await signIn(page, 'owner');
	await visit(page, '/secure/reports?report=largest-transfers');
	await page.getByRole('button', { name: 'Plan to make it' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'Write why' })).toBeVisible();
	await page.getByRole('textbox', { name: /^Why/ }).first().fill('the line of RV Gannet is full');
	await page.getByRole('button', { name: 'Plan to make it' }).click();
	await commitAndFollow(page);
	await visit(page, '/secure/reports?report=largest-transfers');
	await page.getByRole('region', { name: 'Made so far' }).getByRole('link').first().click();
	await expect(page.getByText('On record: “the line of RV Gannet is full”')).toBeVisible();
	await expect(page.getByRole('table', { name: 'Largest transfers' }).getByRole('row')).not.toHaveCount(1);
	await visit(page, '/changes/record');
	await expect(page.getByText('saying why: the line of RV Gannet is full').first()).toBeVisible();
	await expect(page.getByText('read a report of what people reached: Largest transfers').first()).toBeVisible();

	// A mistake stands beside its field, and what was typed is kept.
	await visit(page, '/secure/reports?make=1&source=machines');
	await page.getByLabel('Name', { exact: true }).fill('Nothing');
	await page.getByRole('textbox', { name: /^Of/ }).fill('site:nowhere');
	await page.getByRole('button', { name: 'Plan the report' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'Write the question' })).toBeVisible();
	await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Nothing');
	await page.getByLabel('Question that it answers').fill('Is there anything?');
	await page.getByRole('button', { name: 'Plan the report' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'nowhere' }).first()).toBeVisible();
});

test('what is out of the ordinary has its facts, and somebody says whether something was wrong', async ({ page }) => {
	await signIn(page, 'operator');
	await visit(page, '/secure/unusual');
	const found = page.getByRole('list', { name: 'What was found' }).getByRole('listitem');
	const first = found.filter({ hasText: 'Was something wrong?' }).first();
	await expect(first).toContainText('once in about');
	await expect(first).toContainText('of their peers’');
	await accessible(page);
	// What was answered before is counted too, and how much of it there is depends on the days that were lived.
	const right = page.getByRole('complementary', { name: 'How often it was right' });
	const answered = async () =>
		[...(await right.innerText()).matchAll(/\d+ of (\d+)/g)].reduce((sum, m) => sum + Number(m[1]), 0);
	const before = await answered();
	await first.getByRole('button', { name: /^No, nothing was wrong/ }).click();
	await commitAndFollow(page);
	await visit(page, '/secure/unusual?answered=1');
	await expect(found.filter({ hasText: 'nothing was wrong' }).first()).toBeVisible();
	await expect.poll(answered).toBeGreaterThan(before);
});
