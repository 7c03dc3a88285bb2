import { expect, type Page } from '@playwright/test';
import { accessible, api, commitAndFollow, openReview, pick, signIn, step, test, visit } from './hands';

/** Settings groups: whom they reach, what counts where and why, and a slow part of a sign-in that is one of them. */
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
const card = (page: Page) => page.getByRole('complementary', { name: 'Card' });
const review = (page: Page) => page.getByRole('complementary', { name: 'Plan in review' });

test.describe('settings groups', () => {
	test.beforeEach(async ({ page }) => signIn(page, 'operator'));

	test('the settings that send devices to sleep are kept from hosted machines, and the machine says why', async ({
		page
	}) => {
		await visit(page, '/publish/settings');
		const sleep = page.getByRole('row', { name: /Sleep when left alone/ });
		await expect(sleep).toContainText('all hosted machines');
		await accessible(page);
		await sleep.getByRole('link', { name: 'Sleep when left alone', exact: true }).click();
		await expect(card(page)).toContainText(/reaches\s*[1-9]\d* endpoints, 0 machines/);
		await visit(page, '/publish/settings?list=effective&of=machine/bgo-br-001');
		const row = page.getByRole('row', { name: /Machines sleep after/ });
		await expect(row).toContainText('never');
		await expect(row).toContainText('30 min by Sleep when left alone: all hosted machines is left out');
		await accessible(page);
		// A terminal on a ship: its branch says otherwise, with a higher rank.
		await visit(page, '/publish/settings?list=effective&of=branch/bridge');
		const terminal = page.getByRole('row', { name: /Sleep after/ });
		await expect(terminal).toContainText('Bridge terminals stay awake');
		await expect(terminal).toContainText('20 min by Sleep when left alone, rank 100');
		await visit(page, '/publish/settings?list=compare&of=branch/laptops&with=branch/bridge');
		await expect(page.getByRole('row', { name: /Sleep after/ })).toContainText(/10 min.*never/);
		await accessible(page);
	});

	test('a group is added, refused beside its field, changed and taken back; the plan says who gets which value', async ({
		page
	}) => {
		await visit(page, '/publish/settings');
		await page.getByRole('link', { name: 'Add a group' }).click();
		await page.getByRole('button', { name: 'Plan the group' }).click();
		await expect(page.getByText('Write a name.')).toBeVisible();
		await page.getByLabel('Name', { exact: true }).fill('Payroll locks soon');
		await pick(page, 'Add a setting', /^Lock after/, 'Lock after');
		await pick(page, 'Assigned to', /^Payroll close/, 'Payroll close');
		await page.getByLabel(/^Lock after/).fill('soon');
		await page.getByRole('button', { name: 'Plan the group' }).click();
		await expect(page.getByText(/Lock after: Write a span from 1 min to 8 h, or never/)).toBeVisible();
		await expect(page.getByLabel(/^Lock after/)).toHaveValue('soon');
		await page.getByLabel(/^Lock after/).fill('2 min');
		await expect(page.getByRole('status', { name: 'What it would do' })).toContainText(/\d+ people affected/);
		await accessible(page);
		await page.getByRole('button', { name: 'Plan the group' }).click();
		await expect(plan(page)).toContainText('Add the settings group Payroll locks soon');
		await openReview(page);
		await expect(review(page)).toContainText('Lock after: 2 min instead of 10 min');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/settings?card=settings-group/payroll-locks-soon');
		await card(page).getByRole('button', { name: 'Remove it' }).click();
		await expect(plan(page)).toContainText('Remove the settings group Payroll locks soon');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/settings');
		await expect(page.getByRole('row', { name: /Payroll locks soon/ })).toHaveCount(0);
	});

	test('groups leave as a file; a wrong one is refused with its line, and the same one changes nothing', async ({
		page
	}) => {
		await visit(page, '/publish/settings');
		const download = page.waitForEvent('download');
		await page.getByRole('link', { name: 'As a file' }).click();
		const stream = await (await download).createReadStream();
		let text = '';
		for await (const part of stream) text += String(part);
		expect(text).toContain('id: bridge-awake');
		await page.getByRole('link', { name: 'Bring a file' }).click();
		await page
			.getByLabel('What stands in it')
			.fill(text.replace('power.sleep-after: never', 'power.sleep-after: nevr'));
		await page.getByRole('button', { name: 'Plan to bring them' }).click();
		await expect(
			page.getByRole('alert').filter({ hasText: /Line \d+, column \d+: Sleep after: Write a span/ })
		).toBeVisible();
		await page.getByLabel('What stands in it').fill(text);
		await page.getByRole('button', { name: 'Plan to bring them' }).click();
		await expect(plan(page)).toContainText('blocked: it is so already');
		await page.getByRole('button', { name: 'Discard' }).click();
	});

	test('a slow part of a sign-in leads to its group, and is taken out for the pool', async ({ page }) => {
		interface Asked {
			actions: { kind: string }[];
			sections: { kind: string; phases?: { name: string; ms: number }[] }[];
		}
		const sessions = async () =>
			(
				(await api(page.request, 'get', '/sessions?scope=pool:watch-hobart&sort=-since&limit=200')) as {
					rows: { id: number; login: string }[];
				}
			).rows;
		const cardOf = async (id: number) => (await api(page.request, 'get', `/sessions/${id}`)) as Asked;
		const before = await sessions();
		// Others waited for a machine for longer still: one that settings made slow.
		let slow: (typeof before)[number] | undefined;
		for (const s of before) {
			if (!(await cardOf(s.id)).actions.some((a) => a.kind === 'settings.leave-out')) continue;
			slow = s;
			break;
		}
		await visit(page, `/watch?list=sessions&card=session/${slow!.id}`);
		await expect(card(page)).toContainText(/policies took .*, usually/);
		await expect(card(page)).toContainText(/Fonts of the chart series.*changed last by Ines Haugland/s);
		await accessible(page);
		await card(page).getByRole('button', { name: 'Leave its pool out of Fonts of the chart series' }).click();
		await expect(plan(page)).toContainText('Leave Watch Desk Hobart out of Fonts of the chart series');
		await openReview(page);
		await expect(review(page)).toContainText(/sign-ins of \d+ people in their pools would take 46 s less/);
		expect(await commitAndFollow(page)).toBe('done');
		const settings = (await api(
			page.request,
			'get',
			`/effective-settings?of=person/${slow!.login}@pool/watch-hobart`
		)) as { rows: { id: string; value: string }[] };
		expect(settings.rows.find((r) => r.id === 'apps.fonts')!.value).toBe('0 fonts');
		// Whoever signs in there from now on is not kept by them.
		const last = Math.max(...(await sessions()).map((s) => s.id));
		await expect(async () => {
			await step(page.request, 1200);
			const fresh = (await sessions()).filter((s) => s.id > last + 20);
			const phases = fresh.length
				? (await cardOf(fresh[0]!.id)).sections.find((x) => x.kind === 'phases')!.phases!
				: [];
			expect(phases.find((x) => x.name === 'policies')!.ms).toBeLessThan(20_000);
		}).toPass({ timeout: 150_000 });
	});
});
