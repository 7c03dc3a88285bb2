import { expect, request as newRequest, type Page } from '@playwright/test';
import { accessible, api, commitAndFollow, openReview, pick, ready, signIn, step, test, visit } from './hands';
import { BASE } from './site';

/** An operator's ordinary week: who begins, moves and ends, and people who are kept here. */
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
const rows = (page: Page) => page.locator('main tbody tr');

test.describe('people who come and go', () => {
	test.beforeEach(async ({ page }) => signIn(page, 'operator'));

	test('stand on a line of days, with what each will find and what mends what is missing', async ({ page }) => {
		await visit(page, '/publish/people');
		await expect(page.getByText(/begin,/).first()).toContainText(/\d+ begin, \d+ move, \d+ end in 30 days/);
		await expect(page.getByRole('link', { name: /^Ida Vikan begins Mon 23 Nov/ })).toBeVisible();
		const three = rows(page).filter({ hasText: '3 people' });
		await three.getByRole('button', { name: '3 people' }).click();
		await expect(three.getByRole('list').getByRole('link')).toHaveText(['Ida Vikan', 'Jules Corvey', 'Pia Tindall']);
		await expect(three).toContainText('Chart Production, Bergen');
		await expect(rows(page).filter({ hasText: 'Keir Tveit' })).toContainText(
			'Hydrography, RV Petrel → Watch Desk, Halifax'
		);
		await expect(rows(page).filter({ hasText: 'Oskar Myhre' })).toContainText('Gaugetalk');
		// What is missing comes with a plan.
		const mend = page.getByRole('button', { name: /^Plan \d+ more in / }).first();
		await mend.click();
		await expect(plan(page)).toContainText(/Grow|more|machine/);
		await page.getByRole('button', { name: 'Discard' }).click();
		const keep = page.getByRole('button', { name: /^Keep \d+ endpoints? for / }).first();
		await keep.click();
		await expect(plan(page)).toContainText(/Keep (\d+ endpoints|\S+) for /);
		// Narrowed, and as it was known before the directory told of it.
		await visit(page, '/publish/people?scope=site:gannet');
		await expect(rows(page).first()).toContainText('Field Crew, RV Gannet');
		await expect(rows(page).filter({ hasText: 'Chart Production' })).toHaveCount(0);
		await visit(page, '/publish/people?at=2026-11-09T12:00:00Z');
		await expect(page.getByRole('link', { name: /^Ida Vikan/ })).toHaveCount(0);
	});

	test('somebody is added, found wherever people are, and opens a desk; then goes, and the plan is undone', async ({
		page,
		browser
	}) => {
		await visit(page, '/publish/people?make=person');
		await page.getByLabel('Name', { exact: true }).fill('Vera Sund');
		await page.getByLabel('Login').fill('alindqvist 2');
		await page.getByRole('button', { name: 'Plan to add them' }).click();
		await expect(page.getByText('A login is made of letters, digits, dots and hyphens.')).toBeVisible();
		await expect(page.getByLabel('Name', { exact: true })).toHaveValue('Vera Sund');
		await page.getByLabel('Login').fill('vsund');
		await page.getByLabel('Language').fill('no such tongue');
		await page.getByRole('button', { name: 'Plan to add them' }).click();
		await expect(page.getByText('Write a language tag such as nb or fr-CA.')).toBeVisible();
		await page.getByLabel('Language').fill('nb');
		await page.getByLabel('Site').selectOption({ label: 'Bergen' });
		await pick(page, 'Home team', 'Software');
		await expect(page.getByRole('status', { name: 'What it would do' })).toContainText('1 person affected');
		await page.getByRole('button', { name: 'Plan to add them' }).click();
		await expect(plan(page)).toContainText('Add Vera Sund');
		await accessible(page);
		expect(await commitAndFollow(page)).toBe('done');

		await visit(page, '/publish/people?list=everybody&scope="Vera Sund"');
		const list = page.getByRole('table', { name: 'people' });
		await expect(list.getByText('Vera Sund')).toBeVisible();
		await visit(page, '/?card=person/vsund');
		const card = page.getByRole('complementary').filter({ hasText: 'Vera Sund' });
		await expect(card).toContainText('Sextant’s own list');
		// The account of whoever is kept here is made within a minute.
		await step(page.request, 120);

		const my = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
		await my.goto('/my/sign-in');
		await my.getByLabel('Login').fill('vsund');
		await my.getByLabel('Password').fill('tideline');
		await my.getByRole('button', { name: 'Sign in' }).click();
		const tile = my.getByRole('listitem').filter({ hasText: 'My desk' }).first();
		// Where the day has begun, they are at work already.
		await tile.getByRole('button', { name: /Open|Bring it here/ }).click();
		await expect(my.getByText(/on [a-z]+-[a-z]+-\d+/).first()).toBeVisible({ timeout: 240_000 });

		// A first day at the other end of the world is a day there, and stays one.
		const far = (await api(page.request, 'post', '/plans', {
			kind: 'people.put',
			input: {
				people: [{ login: 'far.away', name: 'Far Away', site: 'hobart', begins: '2027-01-04', ends: '2027-03-31' }]
			}
		})) as { id: number };
		await api(page.request, 'post', `/plans/${far.id}/commit`);
		await expect(async () => {
			await visit(page, '/publish/people?make=person&edit=far.away');
			await expect(page.getByLabel('First day')).toHaveValue('Mon 4 Jan 2027', { timeout: 2000 });
		}).toPass();
		await expect(page.getByLabel('Last day')).toHaveValue('Wed 31 Mar 2027');

		await visit(page, '/publish/people?make=person&edit=vsund');
		await page.getByLabel('Last day').fill('Mon 16 Nov 2026');
		await page.getByRole('button', { name: 'Plan the change' }).click();
		await expect(plan(page)).toContainText('Change Vera Sund');
		expect(await commitAndFollow(page)).toBe('done');
		await step(page.request, 120);
		await my.goto('/my');
		await expect(my.getByLabel('Login')).toBeVisible();
		await my.getByLabel('Login').fill('vsund');
		await my.getByLabel('Password').fill('tideline');
		await my.getByRole('button', { name: 'Sign in' }).click();
		await expect(my.getByText(/^Your account ended on/)).toBeVisible();
		await my.context().close();
	});

	test('somebody moves to another team: what they gain and lose stands there, and their shelf follows', async ({
		page,
		browser
	}) => {
		await visit(page, '/publish/people?make=person');
		await page.getByLabel('Name', { exact: true }).fill('Nils Aasen');
		await page.getByLabel('Login').fill('naasen');
		await page.getByLabel('Site').selectOption({ label: 'Bergen' });
		await pick(page, 'Home team', 'Software');
		await page.getByRole('button', { name: 'Plan to add them' }).click();
		expect(await commitAndFollow(page)).toBe('done');
		// The account of whoever is kept here is made within a minute.
		await step(page.request, 120);
		const my = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
		await expect(async () => {
			await my.goto('/my/sign-in');
			await my.getByLabel('Login').fill('naasen');
			await my.getByLabel('Password').fill('tideline');
			await my.getByRole('button', { name: 'Sign in' }).click();
			await expect(my.getByRole('heading', { name: /^Hello/ })).toBeVisible({ timeout: 3000 });
		}).toPass();
		const studio = my
			.getByRole('region', { name: 'You can ask for' })
			.getByRole('listitem')
			.filter({ hasText: 'Chart Studio' });
		await expect(studio).toHaveCount(1);

		await visit(page, '/?card=person/naasen');
		await page.getByRole('link', { name: 'Move them' }).click();
		await ready(page);
		await page.getByLabel('When').selectOption('day');
		await page.getByRole('button', { name: 'Plan the move' }).click();
		await expect(page.getByText('Write a day such as Tue 17 Nov.')).toBeVisible();
		await page.getByLabel('When').selectOption('now');
		await pick(page, 'Home team', 'Chart Production');
		await expect(page.getByRole('status', { name: 'What it would do' })).toContainText(
			'Move Nils Aasen to Chart Production'
		);
		await accessible(page);
		await page.getByRole('button', { name: 'Plan the move' }).click();
		await openReview(page);
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText(/gains .*Chart Studio/);
		expect(await commitAndFollow(page)).toBe('done');
		await my.reload();
		await expect(studio).toHaveCount(0);
		await expect(my.getByRole('listitem').filter({ hasText: 'Chart Studio' }).first()).toBeVisible();
		await my.context().close();
	});

	test('a list is brought: columns matched, wrong lines said, taken in whole, and undone', async ({ page }) => {
		await visit(page, '/publish/people?make=list');
		const bring = async (text: string) => {
			await page
				.getByLabel('File')
				.setInputFiles({ name: 'crew.csv', mimeType: 'text/csv', buffer: Buffer.from(text, 'utf8') });
			await expect(page.getByRole('table', { name: /What each column holds/ })).toBeVisible();
		};
		await page.getByRole('button', { name: 'Plan to take it in' }).click();
		await expect(page.getByText('Choose a file.')).toBeVisible();
		await page
			.getByLabel('File')
			.setInputFiles({ name: 'old.csv', mimeType: 'text/csv', buffer: Buffer.from('login,name\nå,\xc5\n', 'latin1') });
		await expect(page.getByText(/Line 2 is not UTF-8/)).toBeVisible();
		await bring('Nick;Full name;Office;Unit\nwbrook;Wren Brook;Atlantis;Training\nxbrook;Xeno Brook;Hobart;Training\n');
		await expect(page.getByLabel('Column Full name holds')).toHaveValue('name');
		await page.getByLabel('Column Nick holds').selectOption('login');
		await page.getByRole('button', { name: 'Plan to take it in' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText(
			'line 2: site: There is no site Atlantis.'
		);
		await accessible(page);
		await expect(page.getByRole('button', { name: 'Commit' })).toBeDisabled();

		await visit(page, '/publish/people?make=list');
		await bring('login;name;site;team\nwbrook;Wren Brook;Hobart;Training\nxbrook;Xeno Brook;Hobart;Training\n');
		await page.getByRole('button', { name: 'Plan to take it in' }).click();
		await expect(plan(page)).toContainText('Take in crew.csv: 2 people come');
		expect(await commitAndFollow(page)).toBe('done');
		const there = async () =>
			((await api(page.request, 'get', '/people?scope=brook&limit=50')) as { rows: { login: string }[] }).rows
				.map((r) => r.login)
				.filter((l) => l.endsWith('xbrook') || l.endsWith('wbrook'));
		expect((await there()).sort()).toEqual(['wbrook', 'xbrook']);
		const { rows: changes } = (await api(page.request, 'get', '/changes?limit=1')) as { rows: { number: number }[] };
		await visit(page, `/changes?card=change/${changes[0]!.number}`);
		await page
			.getByRole('button', { name: /^Undo|Plan the undo/ })
			.first()
			.click();
		expect(await commitAndFollow(page)).toBe('done');
		expect(await there()).toEqual([]);
	});
});

test('a program tells of somebody by SCIM, with a token of its own right', async ({ page }) => {
	await signIn(page, 'owner');
	await visit(page, '/settings');
	const tokens = page.locator('section').filter({ has: page.getByRole('heading', { name: /API tokens/ }) });
	await tokens.getByLabel('Name').fill('staff records');
	await tokens.getByLabel('Role').selectOption('directory');
	await tokens.getByRole('button', { name: 'Plan a token' }).click();
	const secret = (await tokens.getByRole('status').locator('code').textContent())!.trim();
	expect(await commitAndFollow(page)).toBe('done');
	const scim = await newRequest.newContext({
		baseURL: `${BASE}/scim/v2/`,
		extraHTTPHeaders: { authorization: `Bearer ${secret}`, 'content-type': 'application/scim+json' }
	});
	const made = await scim.post('Users', {
		data: {
			userName: 'ymast',
			displayName: 'Ylva Mast',
			'urn:ietf:params:scim:schemas:extension:enterprise:2.0:User': { department: 'Software' }
		}
	});
	expect(made.status(), await made.text()).toBe(201);
	const { id } = (await made.json()) as { id: string };
	expect((await scim.post('Users', { data: { userName: 'YMAST', displayName: 'Y' } })).status()).toBe(409);
	await visit(page, '/?card=person/ymast');
	await expect(page.getByRole('complementary').filter({ hasText: 'Ylva Mast' })).toContainText(
		'a program that tells by SCIM'
	);
	expect((await scim.delete(`Users/${id}`)).status()).toBe(204);
	// The token reaches nothing else, and nobody comes in without one.
	expect((await scim.get(`${BASE}/api/v1/sites`)).status()).toBe(403);
	expect((await page.request.get(`${BASE}/scim/v2/Users`)).status()).toBe(401);
	await scim.dispose();
});
