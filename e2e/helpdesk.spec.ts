import { expect } from '@playwright/test';
import { accessible, api, commitAndFollow, pick, signedIn, signIn, test, visit } from './hands';

test.describe('the helpdesk, with somebody on the phone', () => {
	test.beforeEach(async ({ page }) => signIn(page, 'helpdesk'));

	test('Today ranks what needs a person, and every figure in it can be asked why', async ({ page }) => {
		await visit(page, '/');
		const needs = page.getByRole('region', { name: /Needs a person/ }).getByRole('listitem');
		const gateway = needs.filter({ hasText: 'through the Halifax gateway' });
		await expect(gateway).toBeVisible();
		const counts = (await needs.allTextContents())
			.map((text) => /^\s*([\d,]+)\s*(person|people)/.exec(text)?.[1])
			.map((n) => Number(n?.replace(',', '') ?? 0));
		expect(counts).toEqual([...counts].sort((a, b) => b - a));
		await gateway.getByRole('link', { name: /People outside the offices get no picture/ }).click();
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('hfx-gw-1');
		await expect(card).toContainText('hands out 192.0.2.22, stands at 203.0.113.22');
		await accessible(page);
	});

	test('finds an unusable machine, repairs it by runbook, and is told the result', async ({ page }) => {
		// One that people are on, whatever the hour: what stopped at noon may be switched off by the evening.
		const owner = await signedIn('owner');
		const { rows } = (await api(owner, 'get', '/machines?scope=pool:watch-halifax%20state:%22in%20use%22&limit=1')) as {
			rows: { name: string }[];
		};
		const { name } = rows[0]!;
		await api(owner, 'post', '/lab/faults', { kind: 'agent-stopped', target: name });
		await owner.dispose();
		// The row of the check that fails: people who did not get through to the machine stand in rows of their own.
		const row = page.getByRole('row', { name: new RegExp(`^${name} its agent`) });
		await expect(async () => {
			await visit(page, '/fix');
			await expect(row).toContainText('its agent does not answer', { timeout: 2000 });
		}).toPass({ timeout: 120_000 });
		await row.getByRole('button', { name: 'Repair' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toContainText(`Repair ${name}`);
		await accessible(page);
		expect(await commitAndFollow(page)).toBe('done');
		await expect(page.getByText('helped by: restart service')).toBeVisible();
		await visit(page, '/fix');
		await expect(row).toHaveCount(0);
		await expect(page.getByRole('button', { name: /new notices/ })).not.toHaveAccessibleName('0 new notices');
	});

	test('sees a session’s sign-in phase by phase, messages and signs out', async ({ page }) => {
		await visit(page, '/watch?list=sessions&scope=pool:bridge-bergen');
		await page.getByRole('rowgroup', { name: 'Rows' }).getByRole('link').first().click();
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('start the desktop');
		await card.getByRole('button', { name: 'Message' }).click();
		await card.getByRole('button', { name: 'Message' }).click();
		await expect(card.getByRole('alert')).toContainText('Write the message.');
		await card.getByLabel('What they should read').fill('Your machine restarts at noon.');
		await card.getByRole('button', { name: 'Message' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText(
			'Your machine restarts at noon.'
		);
		expect(await commitAndFollow(page)).toBe('done');
	});

	test('leaves a note on a machine, finds it by what it says, words it anew, and sees how it was', async ({ page }) => {
		await visit(page, '/watch?list=machines&card=machine/bgo-br-006');
		const card = page.getByRole('complementary', { name: 'Card' });
		await card.getByRole('button', { name: 'Leave a note' }).click();
		await card.getByRole('button', { name: 'Leave a note' }).click();
		await expect(card.getByRole('alert')).toContainText('Write the note.');
		await card.getByLabel('What the next one should know').fill('Its fan rattles; parts come on Monday');
		await card.getByRole('button', { name: 'Leave a note' }).click();
		expect(await commitAndFollow(page)).toBe('done');

		await visit(page, '/watch?list=machines');
		await page.keyboard.press('Control+k');
		await page.getByPlaceholder(/Go to a view/).fill('fan rattles');
		await page.getByRole('option', { name: /Its fan rattles; parts come on Monday \(bgo-br-006\)/ }).click();
		await expect(card).toContainText('on the machine');
		await card.getByRole('button', { name: 'Word it anew' }).click();
		await card.getByLabel('What the next one should know').fill('Its fan is new');
		await card.getByRole('button', { name: 'Word it anew' }).click();
		expect(await commitAndFollow(page)).toBe('done');

		await visit(page, '/watch?list=machines&card=machine/bgo-br-006');
		await card.getByRole('link', { name: 'Its fan is new' }).click();
		await expect(card).toContainText('wrote “Its fan rattles; parts come on Monday”');
		await accessible(page);
	});

	test('narrows by typing, by pressing a value and by facet, and the sentence says it', async ({ page }) => {
		await visit(page, '/watch?list=machines');
		await page.keyboard.press('/');
		await page.getByLabel('Narrow the scope').fill('site:bergen speed>3');
		await page.keyboard.press('Enter');
		await expect(page.getByRole('alert').filter({ hasText: 'no measure' })).toBeVisible();
		await page.getByLabel('Narrow the scope').fill('site:bergen -pool:bridge-bergen');
		await page.keyboard.press('Enter');
		await expect(page.getByText('not pool Bridge desks Bergen')).toBeVisible();
		await expect(page).toHaveURL(/scope=site:bergen/);
		const total = async () =>
			Number(/([\d,]+) machines/.exec((await page.locator('main').textContent())!)![1]!.replace(',', ''));
		expect(await total()).toBe(92);
		await page.getByRole('link', { name: 'Chart Studio' }).first().click();
		await expect(page.getByText('40 machines', { exact: true })).toBeVisible();
	});

	test('somebody asks what happens when they try again: each of their publications says where they would land, and why', async ({
		page
	}) => {
		const { rows } = (await api(page.request, 'get', '/people?scope=team:software%20site:bergen&limit=1')) as {
			rows: { login: string; name: string }[];
		};
		const { login, name } = rows[0]!;
		await visit(page, `/fix?scope=person:${login}`);
		await expect(page.getByRole('heading', { name: new RegExp(`^Were ${name} to open it now`) })).toBeVisible();
		const row = page.getByRole('row', { name: /^My desk (?!\(trial\))/ });
		const test = (await api(page.request, 'get', `/access-test?person=${login}&publication=bridge-desk`)) as {
			landing: { value: { first: string | null; resumes: string | null } };
		};
		const { first, resumes } = test.landing.value;
		await expect(row).toContainText(resumes ? `on ${resumes}, where they are` : `a machine of ${first}`);
		await accessible(page);
	});

	test('may draft a grant but not commit it, and is told who may', async ({ page }) => {
		await visit(page, '/publish?make=grant');
		await pick(page, 'Publication', 'Payroll close');
		await pick(page, 'Team', 'Software');
		await page.getByRole('button', { name: 'Plan the grant' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toContainText('Grant Payroll close to Software');
		await page.getByRole('button', { name: 'Commit' }).click();
		await expect(page.getByText(/As helpdesk you may not commit/)).toBeVisible();
		await page.getByRole('button', { name: 'Discard' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toHaveCount(0);
	});

	test('goes back in time: every view follows, and says so', async ({ page }) => {
		await visit(page, '/');
		const moment = page.getByRole('slider', { name: 'Moment' });
		await moment.focus();
		const value = async () => Number(await moment.getAttribute('aria-valuenow'));
		const began = await value();
		for (let i = 0; i < 12; i++) await page.keyboard.press('PageDown');
		// Pressed faster than pages come, each press counts; a minute of the live clock may lie between.
		expect(Math.abs(began - 12 * 3_600_000 - (await value()))).toBeLessThan(10 * 60_000);
		await expect(page.getByText(`as it was ${await moment.getAttribute('aria-valuetext')}`)).toBeVisible();
		const past = await page.locator('p', { hasText: /^\s*[\d,]+ people in/ }).textContent();
		await page.getByRole('navigation', { name: 'Stages' }).getByRole('link', { name: 'Watch' }).click();
		// A step begins with the next picture of the page: a key that is pressed before that is its own step, and is overtaken.
		await expect(page).toHaveURL(/\/watch\?at=/);
		await expect(page.getByText(/as it was/)).toBeVisible();
		await expect(page.locator('p', { hasText: /^\s*[\d,]+ people in/ })).toHaveText(past!);
		await page.keyboard.press('l');
		await expect(page.getByText(/as it was/)).toHaveCount(0);
		await expect(page).toHaveURL(/\/watch$/);
	});

	test('a part of a list that does not come is said, and comes when it is asked for again', async ({ page }) => {
		let shut = true;
		let asked = 0;
		await page.route(/\/api\/v1\/people\?.*offset=[1-9]/, (route) => {
			asked++;
			return shut ? route.abort() : route.continue();
		});
		await visit(page, '/watch?list=people&at=2026-11-17T13:00:00.000Z');
		const table = page.getByRole('table', { name: 'people' });
		await table.evaluate((box) => box.scrollTo(0, 20_000));
		const told = page.getByRole('alert').filter({ hasText: 'A part of the list has not come' });
		await expect(told).toContainText('The server does not answer');
		await accessible(page);
		// It is asked for by itself as well: the press is made while it would still be in vain.
		const before = asked;
		await told.getByRole('button', { name: 'Try again now' }).click();
		await expect.poll(() => asked).toBeGreaterThan(before);
		shut = false;
		await expect(told).toHaveCount(0);
		await expect(table.getByText('has not come')).toHaveCount(0);
	});

	test('flags of the ribbon lead to their jobs; of several that lie close, each is listed', async ({ page }) => {
		await visit(page, '/');
		const ribbon = page.getByRole('region', { name: 'Time' });
		await ribbon.getByRole('button', { name: /^Repair hfx-wd-06/ }).click();
		await expect(page.getByRole('heading', { name: /^Repair hfx-wd-06/ })).toBeVisible();
		await expect(page.locator('main')).toContainText('Tuva Brekke');
	});

	test('the figures of a scope are the same on every screen', async ({ page }) => {
		const at = new Date(Date.parse('2026-11-17T14:00:00+01:00')).toISOString();
		const scope = 'site:halifax';
		const rows = async (kind: string) =>
			(await api(page.request, 'get', `/${kind}?scope=${scope}&at=${at}&limit=1000`)) as {
				rows: { state?: string; login?: string }[];
				total: number;
			};
		const machines = await rows('machines');
		const sessions = await rows('sessions');
		await visit(page, `/?scope=${scope}&at=${at}`);
		const line = page.locator('p', { hasText: /^\s*[\d,]+ people in/ });
		const up = machines.rows.filter((m) => m.state !== 'off' && m.state !== 'failed').length;
		await expect(line).toContainText(`${new Set(sessions.rows.map((s) => s.login)).size} people in`);
		await expect(line).toContainText(`${up} machines up of ${machines.total}`);
		await visit(page, `/watch?list=sessions&scope=${scope}&at=${at}`);
		await expect(page.getByText(`${sessions.total} sessions`)).toBeVisible();
	});
});

test('keys: stages by number, all keys by question mark, the menu by Ctrl K', async ({ page }) => {
	await signIn(page, 'helpdesk');
	await visit(page, '/');
	await page.keyboard.press('6');
	await expect(page).toHaveURL(/\/fix/);
	await page.keyboard.press('?');
	await expect(page.getByRole('complementary', { name: 'Keys' })).toBeVisible();
	await page.keyboard.press('Escape');
	await page.keyboard.press('Control+k');
	await page.getByPlaceholder(/Go to a view/).fill('bgo-cs-04');
	await page
		.getByRole('option', { name: /bgo-cs-04/ })
		.first()
		.click();
	await expect(page.getByRole('complementary', { name: 'Card' })).toContainText('bgo-cs-04');
});
