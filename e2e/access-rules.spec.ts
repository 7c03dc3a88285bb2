import { readFileSync } from 'node:fs';
import { expect, test, type Page } from '@playwright/test';
import { accessible, commitAndFollow, pick, signIn, visit } from './hands';

/** Access rules: their order, what a change of them would do to whom, and who may reach what. */
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
const rules = (page: Page) => page.getByRole('list', { name: 'Access rules in their order' });
const ruleAt = (page: Page, n: number) =>
	rules(page)
		.getByRole('listitem')
		.nth(n - 1);

test.describe('access rules', () => {
	test.beforeEach(async ({ page }) => signIn(page, 'operator'));

	test('stand in their order with what needs saying of them; a change that would shut people out is found before it is saved', async ({
		page
	}) => {
		await visit(page, '/secure/rules');
		await accessible(page);
		await expect(ruleAt(page, 1)).toContainText('Refuse');
		// All of it is the survey's already, of which the field is a part.
		await expect(rules(page).getByRole('listitem').filter({ hasText: 'Depth store for the field' })).toContainText(
			'never decides'
		);
		const depths = rules(page).getByRole('listitem').filter({ hasText: 'Depth store for the survey' });
		await depths.getByRole('button', { name: /^Remove rule/ }).click();
		await expect(plan(page)).toContainText('Remove the access rule Depth store for the survey');
		await expect(plan(page)).toContainText(
			/blocked: “Chart Production reaches the depth store from Bergen on a managed device” fails/
		);
		await expect(plan(page).getByRole('button', { name: 'Commit' })).toBeDisabled();
		await plan(page).getByRole('button', { name: 'Discard' }).click();
		await visit(page, '/secure/rules?list=tests');
		await expect(page.getByRole('list', { name: 'Tests of the rules' })).not.toContainText('fails');
		await accessible(page);
		for (const list of ['services', 'categories']) {
			await visit(page, `/secure/rules?list=${list}`);
			await accessible(page);
		}
		await expect(page.getByRole('row', { name: /Films and series 75/ })).toBeVisible();
	});

	test('say to somebody by which rule, and why those above do not decide', async ({ page }) => {
		await visit(page, '/secure/rules');
		await pick(page, 'Person', /Asa Lindqvist/, 'asa lind');
		await page.getByLabel('Service').selectOption({ label: 'Depth store' });
		await page.getByLabel('Device').selectOption({ label: 'not managed' });
		await page.getByLabel('When').fill('noon');
		await page.getByRole('button', { name: 'Try', exact: true }).click();
		await expect(page.getByText('Write a day and a time such as Tue 14:30.')).toBeVisible();
		await expect(page.getByLabel('When')).toHaveValue('noon');
		await page.getByLabel('When').fill('Tue 12:00');
		await page.getByRole('button', { name: 'Try', exact: true }).click();
		const answer = page.getByRole('region', { name: 'Answer' });
		await expect(answer).toContainText('Asa Lindqvist may not reach Depth store');
		await expect(answer).toContainText('the device is not managed');
		await page.getByLabel('Device').selectOption('yes');
		await page.getByRole('button', { name: 'Try', exact: true }).click();
		await expect(answer).toContainText('Asa Lindqvist may reach Depth store');
		await accessible(page);
	});

	test('leave as a file and come back; a wrong one is refused with its line; a move is one plan, and is taken back', async ({
		page
	}) => {
		await visit(page, '/secure/rules');
		const download = page.waitForEvent('download');
		await page.getByRole('link', { name: 'As a file' }).click();
		const text = readFileSync((await (await download).path())!, 'utf8');
		expect(text).toContain('id: depths');
		await page.getByRole('link', { name: 'Bring a file' }).click();
		await page.getByLabel('What stands in it').fill(text.replace('team/survey', 'team/surveyors'));
		await page.getByRole('button', { name: 'Plan to bring them' }).click();
		await expect(
			page.getByText(/Line \d+, column \d+: There is no team surveyors\. Do you mean survey\?/)
		).toBeVisible();
		await page.getByLabel('What stands in it').fill(text);
		await page.getByRole('button', { name: 'Plan to bring them' }).click();
		await expect(plan(page)).toContainText('blocked: it is so already');
		await plan(page).getByRole('button', { name: 'Discard' }).click();
		await visit(page, '/secure/rules');
		const second = (await ruleAt(page, 2).locator('p').first().textContent())!.trim();
		await page.getByRole('button', { name: 'Move rule 2 up' }).click();
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/secure/rules');
		await expect(ruleAt(page, 1)).toContainText(second);
		await page.getByRole('button', { name: 'Move rule 1 down' }).click();
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/secure/rules');
		await expect(ruleAt(page, 2)).toContainText(second);
	});
});
