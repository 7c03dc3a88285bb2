import { expect, test, type Page } from '@playwright/test';
import { accessible, commitAndFollow, signIn, visit } from './hands';

/** Devices that people sit at: where they stand, by which rule, and what a rule would do before it is saved. */
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
const card = (page: Page) => page.getByRole('complementary', { name: 'Card' });
const review = (page: Page) => page.getByRole('complementary', { name: 'Plan in review' });

test.describe('endpoints', () => {
	test.beforeEach(async ({ page }) => signIn(page, 'operator'));

	test('stand in branches by rules; the card says which rule, and why not those before', async ({ page }) => {
		await visit(page, '/publish/endpoints');
		const rules = page.locator('main tbody tr');
		await expect(rules.filter({ hasText: 'Training room' })).toContainText('never decides: rule 4 has all of it');
		await expect(rules.filter({ hasText: 'Offices' })).toContainText('Offices, by site');
		await accessible(page);
		await page.getByRole('complementary', { name: 'Branches' }).getByRole('link', { name: 'Chart room' }).click();
		const list = page.getByRole('table', { name: 'endpoints' });
		await expect(list.getByText('bgo-cr-001')).toBeVisible();
		await list.getByRole('link', { name: 'bgo-cr-001' }).click();
		await expect(card(page)).toContainText('Kittiwake › Offices › Bergen › Chart room');
		await expect(card(page)).toContainText('rule 3, Chart room, fits: Chart room');
		await expect(card(page)).toContainText('rule 1, Ships, by network, does not fit: its address 10.21.');
		await accessible(page);
	});

	test('a rule that would move a ship’s terminals is caught before it is saved', async ({ page }) => {
		await visit(page, '/publish/endpoints?make=rule');
		await page.getByLabel('Name', { exact: true }).fill('Hand-helds, by model');
		await page.getByLabel('Devices for which').fill('model ~ Tern* and firmware >= 4.x');
		await page.getByRole('button', { name: 'Plan the rule' }).click();
		await expect(page.getByText('At sign 31: 4.x is no version such as 4.2.1.')).toBeVisible();
		await page.getByLabel('Devices for which').fill('model ~ Tern* and firmware >= 4.2');
		await page.getByLabel('Tried').selectOption({ label: 'before Ships, by network' });
		await page.getByLabel('Go into').selectOption({ label: 'Kittiwake › Elsewhere' });
		await expect(page.getByRole('status', { name: 'What it would do' })).toContainText(/\d+ endpoints/);
		await page.getByRole('button', { name: 'Plan the rule' }).click();
		await expect(plan(page)).toContainText('Add the enrolment rule Hand-helds, by model');
		await plan(page).getByRole('button', { name: 'Review' }).click();
		await expect(review(page)).toContainText(/endpoints at RV Petrel would move at their next start/);
		await expect(review(page)).toContainText('Chart room → Elsewhere');
		await accessible(page);
		await page.getByRole('button', { name: 'Discard' }).click();

		// Behind the ships it takes none of theirs.
		await visit(page, '/publish/endpoints?make=rule');
		await page.getByLabel('Name', { exact: true }).fill('Hand-helds, by model');
		await page.getByLabel('Devices for which').fill('model ~ Petrel* and site is hobart');
		await page.getByLabel('Tried').selectOption({ label: 'before Laptops, by model' });
		await page.getByRole('button', { name: 'Plan the rule' }).click();
		await plan(page).getByRole('button', { name: 'Review' }).click();
		await expect(review(page)).toContainText('nothing that is known would stand elsewhere');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/endpoints');
		await expect(page.locator('main tbody tr').nth(1)).toContainText('Hand-helds, by model');
		await page.getByRole('button', { name: 'Remove Hand-helds, by model' }).click();
		await expect(plan(page)).toContainText('Remove the enrolment rule Hand-helds, by model');
		expect(await commitAndFollow(page)).toBe('done');
	});

	test('a copy waits until somebody lets it in; a branch is added, and one that hangs below itself refused', async ({
		page
	}) => {
		await visit(page, '/publish/endpoints');
		const room = page.getByRole('complementary', { name: 'Branches' });
		await expect(room).toContainText('copy');
		await room.getByRole('link', { name: /^bgo-box-/ }).click();
		await expect(card(page)).toContainText('another device has called in with this serial number and another key');
		await card(page).getByRole('link', { name: 'Let it in' }).click();
		await page.getByLabel('Into').selectOption({ label: 'Kittiwake › Elsewhere' });
		await page.getByRole('button', { name: 'Plan to let it in' }).click();
		await expect(plan(page)).toContainText(/^Plan\s*Let bgo-box-\d+ in, into Elsewhere/);
		await page.getByRole('button', { name: 'Discard' }).click();
		await visit(page, '/publish/endpoints?make=branch');
		await page.getByRole('button', { name: 'Plan the branch' }).click();
		await expect(page.getByText('Write a name.')).toBeVisible();
		await page.getByLabel('Name', { exact: true }).fill('Survey room');
		await page.getByLabel('Hangs below').selectOption({ label: 'Kittiwake › Offices › Bergen' });
		await page.getByRole('button', { name: 'Plan the branch' }).click();
		await expect(plan(page)).toContainText('Add the branch Survey room below Bergen');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/endpoints');
		await expect(room.getByRole('link', { name: 'Survey room' })).toBeVisible();
		await visit(page, '/publish/endpoints?at=2026-11-16T12:00:00Z');
		await expect(room.getByRole('link', { name: 'Survey room' })).toHaveCount(0);
	});
});
