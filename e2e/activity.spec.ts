import { expect, type Page } from '@playwright/test';
import { accessible, api, commitAndFollow, pick, signIn, test, visit } from './hands';

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

test('a ship’s crew uses sites of its own off watch until the share of the line is used up, and is refused in words', async ({
	page
}) => {
	await signIn(page, 'owner');
	const crew = ['petrel', 'fulmar'].map((ship) => api(page.request, 'get', `/people?scope=site:${ship}&limit=12`));
	const logins = (await Promise.all(crew)).flatMap((c) =>
		(c as { rows: { login: string }[] }).rows.map((r) => r.login)
	);
	interface Reached {
		rows: { since: number; target: string; rule: string; through: boolean }[];
	}
	/** Somebody who was let through to something of their own, and refused the very same a while later. */
	const usedUp = async (login: string): Promise<boolean> => {
		const plan = (await api(page.request, 'post', '/plans', {
			kind: 'activity.look',
			input: { person: login, why: 'they asked what shut the line' }
		})) as { id: number };
		await api(page.request, 'post', `/plans/${plan.id}/commit`);
		let found: Reached = { rows: [] };
		await expect(async () => {
			found = (await api(page.request, 'get', `/activity/people/${login}?days=3&limit=100`)) as Reached;
		}).toPass();
		return found.rows.some(
			(shut) =>
				shut.rule === 'at-sea' &&
				!shut.through &&
				found.rows.some(
					(r) =>
						r.rule === 'crews-off-watch' &&
						r.through &&
						r.target === shut.target &&
						r.since < shut.since &&
						shut.since - r.since < 3_600_000
				)
		);
	};
	let login = '';
	for (const one of logins)
		if (await usedUp(one)) {
			login = one;
			break;
		}
	expect(login).not.toBe('');
	const { sums } = (await api(page.request, 'get', '/activity?days=1')) as {
		sums: { rules: { rule: string; number: number }[] };
	};
	const number = (rule: string) => sums.rules.find((r) => r.rule === rule)!.number;
	await visit(page, `/secure/activity?person=${login}`);
	const table = page.getByRole('table', { name: /reached and was refused$/ });
	await expect(table).toContainText(`rule ${number('crews-off-watch')}`);
	await expect(table).toContainText(`refusedrule ${number('at-sea')}`);
	await visit(page, '/secure/rules?card=access-rule/at-sea');
	await expect(page.getByRole('complementary').getByText('The line to shore is thin.').first()).toBeVisible();
});
