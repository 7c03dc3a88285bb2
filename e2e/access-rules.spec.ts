import { readFileSync } from 'node:fs';
import { expect, type Page } from '@playwright/test';
import { accessible, commitAndFollow, pick, signIn, test, visit } from './hands';

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
		const contradicted = page.getByRole('list', { name: 'Grants that rules contradict' });
		await expect(contradicted).toContainText(/\d+ people are granted My desk and never reach Rosters, which it needs/);
		await contradicted.getByRole('link', { name: /^See it/ }).click();
		await expect(page.getByRole('region', { name: 'Answer' })).toContainText(/may not reach\s+Rosters/);
		// All of it is the survey's already, of which the field is a part.
		await expect(rules(page).getByRole('listitem').filter({ hasText: 'Depth store for the field' })).toContainText(
			'never decides'
		);
		const depths = rules(page).getByRole('listitem').filter({ hasText: 'Depth store for the survey' });
		await depths.getByRole('link', { name: /^Change rule/ }).click();
		await page
			.getByRole('region', { name: /^Rule \d+$/ })
			.getByRole('button', { name: 'Remove it' })
			.click();
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
		await page.getByLabel('Service, or what passes a session').selectOption({ label: 'Depth store' });
		await page.getByLabel('Device', { exact: true }).selectOption({ label: 'not managed' });
		await page.getByLabel('When').fill('noon');
		await page.getByRole('button', { name: 'Try', exact: true }).click();
		await expect(page.getByText('Write a day and a time such as Tue 14:30.')).toBeVisible();
		await expect(page.getByLabel('When')).toHaveValue('noon');
		await page.getByLabel('When').fill('Tue 12:00');
		await page.getByRole('button', { name: 'Try', exact: true }).click();
		const answer = page.getByRole('region', { name: 'Answer' });
		await expect(answer).toContainText('Asa Lindqvist may not reach Depth store');
		await expect(answer).toContainText('the device is not managed');
		await page.getByLabel('Device', { exact: true }).selectOption('yes');
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

	test('are drafted as a whole: moved by keys, changed, added; each difference is seen in the tester; the last edit is taken back', async ({
		page
	}) => {
		await visit(page, '/secure/rules');
		const count = await rules(page).getByRole('listitem').count();
		await page.getByRole('link', { name: 'Add a rule' }).click();
		const form = page.getByRole('region', { name: 'A new rule' });
		await form.getByLabel('Decides').selectOption({ label: 'refuse' });
		await form.getByLabel('Name').fill('No betting rosters');
		await form.getByLabel('Hours').fill('weekends');
		await pick(form, 'What', /^Rosters/, 'rosters');
		await pick(form, 'Who', /Field Crew/, 'field');
		await form.getByRole('button', { name: 'Draft it' }).click();
		await expect(form.getByText('Write hours such as Mon-Fri 07:00-19:00.')).toBeVisible();
		await expect(form.getByLabel('Name')).toHaveValue('No betting rosters');
		await form.getByLabel('Hours').fill('Sat,Sun 00:00-24:00');
		await accessible(page);
		await form.getByRole('button', { name: 'Draft it' }).click();
		await expect(plan(page)).toContainText('Add the access rule No betting rosters');
		await expect(ruleAt(page, count + 1)).toContainText('new');
		// It stands behind what lets everybody in: it would never decide.
		await expect(ruleAt(page, count + 1)).toContainText('never decides');
		const changes = page.getByRole('region', { name: 'What this draft changes' });
		await expect(changes).toContainText('Nobody gains or loses anything by it.');

		// Up to the head, by the keyboard alone.
		const up = page.getByRole('button', { name: `Move rule ${count + 1} up` });
		await up.focus();
		await page.keyboard.press('Enter');
		await expect(ruleAt(page, count)).toContainText('No betting rosters');
		await expect(page.getByRole('button', { name: `Move rule ${count} up` })).toBeFocused();
		await ruleAt(page, count)
			.getByRole('link', { name: `Change rule ${count}` })
			.click();
		const opened = page.getByRole('region', { name: `Rule ${count}` });
		await expect(opened.getByLabel('Hours')).toHaveValue('Sat,Sun 00:00-24:00');
		await pick(opened, 'Comes to stand before', /^rule 1:/, 'rule 1:');
		await opened.getByRole('button', { name: 'Add it to the draft' }).click();
		await expect(ruleAt(page, 1)).toContainText('No betting rosters');
		await expect(plan(page)).toContainText('Add the access rule No betting rosters');
		await expect(changes).toContainText(/\d+ people lose\s+Rosters, only at hours such as Sat 00:00/);
		await changes.getByRole('link', { name: /^See it: .*Rosters/ }).click();
		await expect(page.getByRole('region', { name: 'Answer', exact: true })).toContainText(/may reach\s+Rosters/);
		await expect(page.getByRole('region', { name: 'Answer by the draft' })).toContainText(
			/may not reach\s+Rosters.*rule 1 decides/
		);
		await accessible(page);

		await page.getByLabel('Everything else: web').selectOption({ label: 'refused' });
		await expect(changes).toContainText(/people lose\s+Social circles/);
		await expect(page.getByText('was allowed')).toBeVisible();
		await page.getByLabel('Everything else: web').selectOption({ label: 'allowed' });
		await expect(changes).not.toContainText('Social circles');
		await changes.getByRole('button', { name: 'Take the last edit of a rule back' }).click();
		await expect(ruleAt(page, count)).toContainText('No betting rosters');
		await expect(changes).toContainText('2 edits of rules in this draft');
		await plan(page).getByRole('button', { name: 'Discard' }).click();
		await expect(rules(page).getByRole('listitem')).toHaveCount(count);
	});

	test('a rule is dragged by its handle to another spot, and that is a draft', async ({ page }) => {
		await visit(page, '/secure/rules');
		const third = (await ruleAt(page, 3).locator('p').first().textContent())!.trim();
		const handle = page.getByLabel('Drag rule 3', { exact: true });
		await handle.focus();
		await page.keyboard.press('Enter');
		await page.keyboard.press('ArrowUp');
		await expect(plan(page)).toContainText('Move the access rule');
		// Let go only when the draft has long come: what lies there is what is drafted from then on.
		await page.keyboard.press('Enter');
		await expect(ruleAt(page, 2)).toContainText(third.slice(0, 30));
		await expect(ruleAt(page, 2)).toContainText('moved, was 3');
		await plan(page).getByRole('button', { name: 'Discard' }).click();
		await expect(ruleAt(page, 3)).toContainText(third.slice(0, 30));
	});

	test('who reaches a service stands on its card, by rule and one by one; what somebody reaches on theirs', async ({
		page
	}) => {
		await visit(page, '/secure/rules?list=services');
		await page.getByRole('link', { name: 'Tide archive' }).click();
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('tides.kittiwake.example');
		await expect(card).toContainText(/\d+ people: in an isolated window alone, by rule \d+/);
		await accessible(page);
		await card.getByRole('link', { name: 'All of them, one by one' }).click();
		await expect(page.getByRole('heading', { name: /^Who reaches Tide archive/ })).toBeVisible();
		const byRule = page
			.getByRole('list', { name: 'By rule' })
			.getByRole('listitem')
			.filter({ hasText: 'isolated window' });
		const people = Number((await byRule.getByRole('link').innerText()).replace(/\D/g, ''));
		await byRule.getByRole('link').click();
		const table = page.getByRole('table', { name: /^People, and whether they reach Tide archive/ });
		await expect(table.getByRole('row')).toHaveCount(people + 1);
		await accessible(page);
		await page.getByLabel('Service').selectOption({ label: 'what is written here:' });
		await page.getByLabel('Web site, or host and port').fill('tides.kittiwake.example:22');
		// What is typed stays while the page is brought up to date.
		await page.waitForResponse((r) => r.url().includes('__data.json'));
		await page.waitForTimeout(300);
		await expect(page.getByLabel('Web site, or host and port')).toHaveValue('tides.kittiwake.example:22');
		await page.getByRole('button', { name: 'Show who' }).click();
		await expect(page.getByRole('heading', { name: /what is inside and no service/ })).toBeVisible();
		await page.getByLabel('Web site, or host and port').fill('not a name');
		await page.getByRole('button', { name: 'Show who' }).click();
		await expect(page.getByText('not a name is no name of a host.')).toBeVisible();

		await visit(page, '/publish/people?card=person/alindqvist');
		await expect(card).toContainText('What they reach, as they are now');
		await card.getByRole('link', { name: /^Depth store: may/ }).click();
		await expect(card).toContainText('Rules that speak of it');
		await card.getByRole('link', { name: /^6: Allow Survey/ }).click();
		await expect(card).toContainText(/decides now for\s*\d+ people/);
		await accessible(page);
	});

	test('private services stand behind inner gateways, which are asked whether they are there; one is added, refused beside its field, and goes again', async ({
		page
	}) => {
		await visit(page, '/secure/rules?list=services');
		const gateways = page.getByRole('table', { name: 'Inner gateways' });
		await expect(gateways.getByRole('row', { name: /^Bergen inner gate Bergen .* answers/ })).toBeVisible();
		await expect(page.getByRole('row', { name: /^Depth store .* Bergen inner gate answers, \d+ ms/ })).toBeVisible();
		await expect(page.getByRole('row', { name: /^Tide gauges .* not asked/ })).toBeVisible();
		await page.getByRole('link', { name: 'Add an inner gateway' }).click();
		const form = page.getByRole('region', { name: 'Gateway' });
		await form.getByLabel('Name').fill('Hobart inner gate');
		await form.getByLabel('Where it answers').fill('inner-hba');
		await form.getByRole('button', { name: 'Plan to add it' }).click();
		await expect(form.getByText('Choose a site.')).toBeVisible();
		await form.getByLabel('Site').selectOption({ label: 'Hobart' });
		await form.getByRole('button', { name: 'Plan to add it' }).click();
		await expect(form.getByText('Write where it answers, such as gate.example:8443.')).toBeVisible();
		await expect(form.getByLabel('Name')).toHaveValue('Hobart inner gate');
		await form.getByLabel('Where it answers').fill('inner-hba.kittiwake.example:8443');
		await accessible(page);
		await form.getByRole('button', { name: 'Plan to add it' }).click();
		await expect(plan(page)).toContainText('Add the inner gateway Hobart inner gate');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/secure/rules?list=services');
		await gateways.getByRole('link', { name: 'Hobart inner gate' }).click();
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('inner gateway in Hobart');
		await expect(card).toContainText('Round trip to it, by where people sit');
		await accessible(page);
		await card.getByRole('button', { name: 'Remove it' }).click();
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/secure/rules?list=services');
		await expect(gateways.getByRole('link', { name: 'Hobart inner gate' })).toHaveCount(0);

		await page.getByRole('link', { name: 'Depth store' }).click();
		await card.getByRole('link', { name: 'Change it' }).click();
		const service = page.getByRole('region', { name: 'Service' });
		await expect(service.getByLabel('Hosts')).toHaveValue(/depths\.kittiwake\.example/);
		await service.getByLabel('Ports').fill('5432, many');
		await service.getByRole('button', { name: 'Plan to change it' }).click();
		await expect(service.getByText(/Write a port such as 5432/)).toBeVisible();
		await service.getByLabel('Ports').fill('5432, 5433');
		await service.getByRole('button', { name: 'Plan to change it' }).click();
		await expect(plan(page)).toContainText('Change the private service Depth store');
		await plan(page).getByRole('button', { name: 'Discard' }).click();
	});

	test('what a desktop needs is said once; a site’s holidays are added from its card, and a wrong line stays to be put right', async ({
		page
	}) => {
		await visit(page, '/secure/rules?list=services');
		await page.getByRole('link', { name: 'What desktops need' }).click();
		const form = page.getByRole('region', { name: 'Needs' });
		await form.getByLabel('Desktop or app').selectOption({ label: 'Ship desk' });
		await pick(form, 'Needs', /^Pay runs/, 'pay');
		await accessible(page);
		await form.getByRole('button', { name: 'Plan to say so' }).click();
		await expect(plan(page)).toContainText('Ship desk needs Pay runs');
		await plan(page).getByRole('button', { name: 'Discard' }).click();

		await visit(page, '/build/sites?card=site/hobart');
		const card = page.getByRole('complementary', { name: 'Card' });
		await expect(card).toContainText('25 Dec 2026, Christmas Day');
		await card.getByRole('button', { name: 'Add holidays' }).click();
		await card.getByRole('textbox').fill('9 Feb 2027 Regatta Day\nsome day');
		await card.getByRole('button', { name: 'Add holidays' }).click();
		await expect(card.getByRole('alert')).toContainText('Line 2: Write a day such as 24 Dec 2026');
		await expect(card.getByRole('textbox')).toHaveValue(/Regatta Day/);
		await card.getByRole('textbox').fill('9 Feb 2027 Regatta Day');
		await card.getByRole('button', { name: 'Add holidays' }).click();
		await expect(plan(page)).toContainText('Add 1 holiday of Hobart');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/build/sites?card=site/hobart');
		await expect(card).toContainText(/holidays to come.*and 2 more/);
	});

	test('a test is written on the page; one that fails blocks the draft until a rule makes it true', async ({
		page
	}) => {
		await visit(page, '/secure/rules?list=tests');
		const tests = page.getByRole('list', { name: 'Tests of the rules' });
		await page.getByRole('link', { name: 'Add a test' }).click();
		const form = page.getByRole('region', { name: 'A new test' });
		await form.getByRole('button', { name: 'Draft it' }).click();
		await expect(form.getByText('Say whom it is about.')).toBeVisible();
		await form.getByLabel('The sentence').fill('Trainees read the tide archive in the browser');
		await pick(form, 'Who', /^Training/, 'training');
		await pick(form, 'What', /^Tide archive/, 'tide');
		await form.getByLabel('Through').selectOption({ label: 'the browser alone' });
		await form.getByRole('textbox', { name: /^At else/ }).fill('noon');
		await form.getByRole('button', { name: 'Draft it' }).click();
		await expect(form.getByRole('alert').filter({ hasText: 'Tue 14:30' })).toBeVisible();
		await expect(form.getByLabel('The sentence')).toHaveValue(/^Trainees/);
		await form.getByRole('textbox', { name: /^At else/ }).fill('');
		await accessible(page);
		await form.getByRole('button', { name: 'Draft it' }).click();
		const own = tests.getByRole('listitem').filter({ hasText: 'Trainees read the tide archive' });
		await expect(own).toContainText('fails');
		await expect(plan(page)).toContainText('blocked: “Trainees read the tide archive in the browser” fails');

		await page.getByRole('link', { name: 'In order' }).click();
		await page.getByRole('link', { name: 'Add a rule' }).click();
		const rule = page.getByRole('region', { name: 'A new rule' });
		await pick(rule, 'Who', /^Training/, 'training');
		await pick(rule, 'What', /^Tide archive/, 'tide');
		await pick(rule, 'Comes to stand before', /^rule 1:/, 'rule 1:');
		await rule.getByRole('button', { name: 'Add it to the draft' }).click();
		await expect(ruleAt(page, 1)).toContainText('Training');
		await page.getByRole('link', { name: 'Tests', exact: true }).click();
		await expect(own).toContainText('holds');
		await expect(plan(page).getByRole('button', { name: 'Commit' })).toBeEnabled();
		await own.getByRole('button', { name: /^Leave the test out/ }).click();
		await expect(own).toHaveCount(0);
		await plan(page).getByRole('button', { name: 'Discard' }).click();
		await expect(plan(page)).toHaveCount(0);
	});
});
