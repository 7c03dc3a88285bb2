import { expect, test, type Page } from '@playwright/test';
import { accessible, api, commitAndFollow, pick, signIn, visit } from './hands';

/** What people reached: in sums for whoever may read them; one by one for whoever has said why. */
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });

test('what people reached stands in sums, and of too few people not at all', async ({ page }) => {
	await signIn(page, 'auditor');
	await visit(page, '/secure/activity');
	await accessible(page);
	const rules = page.getByRole('list', { name: 'Which rules decided' });
	await expect(rules).toContainText('Pictures, films and large downloads at sea');
	await expect(page.getByText(/decisions,\s+[\d.]+ % of them refused/)).toBeVisible();
	await expect(page.getByRole('row', { name: /^Depth store · private service/ })).toBeVisible();
	// An auditor reads who looked, and does not look.
	await expect(page.getByRole('region', { name: 'Who looked' })).toBeVisible();
	await expect(page.getByRole('button', { name: 'Plan to look' })).toHaveCount(0);
	await visit(page, '/secure/activity?scope=team:contractors&days=30');
	await expect(page.getByRole('region', { name: 'Refused most often' })).toContainText('Rosters');
	await visit(page, '/secure/activity?scope=person:alindqvist');
	await expect(page.getByText(/The scope holds 1 person/)).toBeVisible();
	await expect(rules).toHaveCount(0);
});

test('the same figures stand on the list of rules, on the card of one, and in the API', async ({ page }) => {
	await signIn(page, 'operator');
	const at = new Date(
		((await api(page.request, 'get', '/lab/clock')) as { now: number }).now - 3 * 3_600_000
	).toISOString();
	const { sums } = (await api(page.request, 'get', `/activity?days=30&at=${at}`)) as {
		sums: { rules: { rule: string; decisions: number }[] };
	};
	const watch = sums.rules.find((r) => r.rule === 'watch-weather')!.decisions.toLocaleString('en-GB');
	await visit(page, `/secure/rules?at=${at}&card=access-rule/watch-weather`);
	await expect(page.locator('li[data-rule="watch-weather"]')).toContainText(watch);
	await expect(page.getByRole('complementary').filter({ hasText: 'What it decided' })).toContainText(
		`${watch} decisions`
	);
	await visit(page, `/secure/activity?at=${at}&days=30`);
	await expect(page.getByRole('listitem').filter({ hasText: 'Weather and traffic for the watch' })).toContainText(
		watch
	);
});

test('whoever looks at what somebody reached says why first, and it stays on record', async ({ page }) => {
	await signIn(page, 'helpdesk');
	const denied = await page.request.get('/api/v1/activity/people/alindqvist');
	expect(denied.status()).toBe(404);
	expect(await denied.text()).toContain('activity.look');
	await visit(page, '/secure/activity');
	await pick(page, 'Whose', /Asa Lindqvist/, 'asa lind');
	await page.getByRole('button', { name: 'Plan to look' }).click();
	await expect(page.getByText('Write why: it stays on record.').first()).toBeVisible();
	await page.getByRole('textbox', { name: /^Why/ }).fill('She asked what shut the depth store');
	await page.getByRole('button', { name: 'Plan to look' }).click();
	await expect(plan(page)).toContainText('Look at what Asa Lindqvist reached');
	expect(await commitAndFollow(page)).toBe('done');
	await visit(page, '/secure/activity?person=alindqvist');
	await expect(page.getByText(/On record: “She asked what shut the depth store”/)).toBeVisible();
	await expect(page.getByRole('table', { name: 'What Asa Lindqvist reached and was refused' })).toBeVisible();
	await accessible(page);
	expect((await page.request.get('/api/v1/activity/people/alindqvist')).status()).toBe(200);
	await signIn(page, 'auditor');
	await visit(page, '/secure/activity?person=alindqvist');
	await expect(page.getByText('Your role may not look.')).toBeVisible();
	await visit(page, '/secure/activity');
	await expect(page.getByRole('region', { name: 'Who looked' })).toContainText('She asked what shut the depth store');
	await visit(page, '/changes');
	await expect(page.getByText('Look at what Asa Lindqvist reached').first()).toBeVisible();
});
