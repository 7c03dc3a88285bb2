import { expect } from '@playwright/test';
import { accessible, api, signIn, test, visit } from './hands';
import { BASE } from './site';

/** Whoever only reads: everything is there to be seen, then and now, and nothing can be moved. */
test.describe('the auditor', () => {
	test.beforeEach(async ({ page }) => {
		await signIn(page, 'auditor');
	});

	test('sees every view, and finds no button that would change anything', async ({ page }) => {
		for (const path of [
			'/',
			'/build',
			'/build/sheet?line=watch-desk',
			'/build/rollouts',
			'/build/shipping',
			'/build/pools',
			'/build/sites',
			'/build/console',
			'/build/compare',
			'/build/schedules',
			'/publish',
			'/publish/who',
			'/publish/shelves?who=alindqvist',
			'/publish/delivery',
			'/secure',
			'/scale',
			'/watch',
			'/fix',
			'/jobs',
			'/changes'
		]) {
			await visit(page, path);
			const words = await page.getByRole('main').getByRole('button').allTextContents();
			expect(
				words.filter((w) =>
					/plan|put|repair|extend|retry|release|hold|grant|make|publish|undo|restart|sign out|join|renew|take/i.test(w)
				),
				path
			).toEqual([]);
		}
		await visit(page, '/watch?card=machine/bgo-br-001');
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('it is ');
		await expect(card.getByRole('button')).toHaveCount(0);
		await accessible(page);
	});

	test('sees samples drawn on a card, and is told where what draws them cannot be fetched', async ({ page }) => {
		const card = page.getByRole('complementary', { name: 'Card' });
		const samples = card.getByRole('img', { name: /^Samples of the last hours/ });
		const address = '/watch?card=machine/bgo-br-001';
		await visit(page, address);
		const drawn = () =>
			samples.evaluate((c: HTMLCanvasElement) => {
				const { data } = c.getContext('2d')!.getImageData(0, 0, c.width, c.height);
				return data.some((v) => v !== 0);
			});
		await expect.poll(drawn).toBe(true);
		await expect(card.getByRole('alert')).toHaveCount(0);
		const files = await page.evaluate(() => performance.getEntriesByType('resource').map((r) => r.name));
		const drawing = files.filter((name) => name.endsWith('.js')).at(-1)!;
		await page.route(drawing, (route) => route.abort());
		await visit(page, address);
		await expect(card.getByRole('alert')).toHaveText('The picture could not be fetched. Open the page again.');
		await expect(samples).toBeVisible();
	});

	test('is refused a draft over the API, and told who may', async ({ page }) => {
		const response = await page.request.post('/api/v1/plans', {
			data: { kind: 'policy.set', input: { pool: 'payroll', headroomIn: 2 } },
			headers: { origin: BASE }
		});
		expect(response.status()).toBe(403);
		expect(((await response.json()) as { detail: string }).detail).toMatch(/may not|owner/);
	});

	test('follows a figure to the things it counts, and each thing to its reasons', async ({ page }) => {
		const { rows } = (await api(page.request, 'get', '/machines?scope=site:skerry&limit=1000')) as {
			rows: unknown[];
		};
		await visit(page, '/?scope=site:skerry');
		await expect(page.locator('p', { hasText: 'people in' })).toContainText(
			new RegExp(`\\d+\\s+machines up of ${rows.length}`)
		);
		expect(rows.length).toBeGreaterThan(0);
		await page
			.getByRole('link', { name: /^Chart Studio/ })
			.first()
			.click();
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('chart-studio');
		await expect(card.getByText('Why')).toBeVisible();
	});

	test('goes back past the minutes that are kept: strain is then that of the quarter hour', async ({ page }) => {
		const at = '2026-11-11T09:40:00Z';
		const { rows } = (await api(
			page.request,
			'get',
			`/machines?scope=pool:chart-studio&at=${at}&sort=-strain&limit=5`
		)) as {
			rows: { strain: number | null; state: string }[];
		};
		expect(rows[0]!.strain).toBeGreaterThan(0);
		await visit(page, `/watch?scope=pool:chart-studio&at=${at}`);
		await expect(page.getByText(/as it was/)).toBeVisible();
		const first = page.getByRole('rowgroup', { name: 'Rows' }).getByRole('row').first();
		await expect(first).toContainText(String(rows[0]!.strain));
		await visit(page, `/?scope=pool:chart-studio&at=${at}`);
		await expect(page.getByRole('img', { name: /Chart Studio: .*in use/ })).toBeVisible();
	});

	test('looks ahead: the forecast where there is one, and said where there is none', async ({ page }) => {
		const { now } = (await api(page.request, 'get', '/lab/clock')) as { now: number };
		const ahead = new Date(now + 3 * 3_600_000).toISOString();
		await visit(page, `/scale?at=${ahead}`);
		await expect(page.getByText(/forecast/).first()).toBeVisible();
		await visit(page, `/watch?at=${ahead}`);
		await expect(page.getByText(/lists have no forecast, this is the present/)).toBeVisible();
		await visit(page, `/?at=${ahead}`);
		await expect(page.getByText(/This list has no forecast/)).toBeVisible();
		await visit(page, `/secure?who=alindqvist&what=chart-studio&when=${ahead}`);
		await expect(page.getByRole('region', { name: 'Answer' })).toBeVisible();
	});

	test('a moment or a scope that cannot be read is said, and nothing is lost of the rest', async ({ page }) => {
		await visit(page, '/watch?at=yesterday');
		await expect(page.getByText('“yesterday” is not a moment')).toBeVisible();
		await visit(page, `/watch?scope=${encodeURIComponent('site:bergen colour:red')}`);
		await expect(page.getByText(/There is no facet “colour”/)).toBeVisible();
		await expect(page.locator('p', { hasText: 'people in' })).toBeVisible();
		await visit(page, '/watch?card=machine/no-such-machine');
		await expect(page.getByText(/no-such-machine/)).toBeVisible();
	});
});
