import { expect, type Page } from '@playwright/test';
import { accessible, api, commitAndFollow, openReview, pick, signedIn, signIn, test, visit } from './hands';

/** Devices that people sit at: where they stand, by which rule, and what a rule would do before it is saved. */
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
const card = (page: Page) => page.getByRole('complementary', { name: 'Card' });
const review = (page: Page) => page.getByRole('complementary', { name: 'Plan in review' });

test.describe('endpoints', () => {
	test.beforeEach(async ({ page }) => signIn(page, 'operator'));
	test.afterEach(({ page }) => api(page.request, 'post', '/lab/clock', { paused: false }));

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
		await openReview(page);
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
		await openReview(page);
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
		await page.getByLabel('Into', { exact: true }).selectOption({ label: 'Kittiwake › Elsewhere' });
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

	test('thirty new boxes stay away because of a name, are missed on Today, and find their branch once it is mended', async ({
		page
	}) => {
		test.slow();
		await visit(page, '/');
		const missed = page
			.getByRole('listitem')
			.filter({ hasText: '30 endpoints announced for Hobart have not called in' });
		await expect(missed).toContainText('sextant.kittiwake.example does not resolve there');
		await expect(missed).toContainText('Put sextant.kittiwake.example into the name service of this site');
		await visit(page, '/publish/endpoints?list=announced');
		const hobart = page.getByRole('row').filter({ has: page.getByRole('link', { name: 'Hobart', exact: true }) });
		await expect(hobart).toContainText('not found');
		const list = page.getByRole('table', { name: 'announced endpoints' });
		await expect(list.getByRole('row', { name: /KT-9101/ })).toContainText('stays away');
		await accessible(page);

		// Who looks after the network puts the name in.
		const { rows } = (await api(page.request, 'get', '/lab/faults')) as { rows: { id: number; kind: string }[] };
		await api(page.request, 'delete', `/lab/faults/${rows.find((f) => f.kind === 'calling-unresolved')!.id}`);
		await expect(hobart).toContainText('told by the record', { timeout: 60_000 });
		await expect(
			list
				.getByRole('row', { name: /KT-9130/ })
				.or(list.getByRole('row', { name: /KT-9101/ }))
				.first()
		).toContainText('called in', { timeout: 90_000 });
		await list.getByRole('link', { name: 'hba-new-01' }).click();
		await expect(card(page)).toContainText('Kittiwake › Offices › Hobart');
		await expect(card(page)).toContainText('rule 4, Offices, fits: Hobart');
		await visit(page, '/');
		await expect(page.getByText('announced for Hobart')).toHaveCount(0, { timeout: 60_000 });
	});

	test('endpoints are announced from a delivery note, and taken from the list again; who is let in is said site by site', async ({
		page
	}) => {
		await visit(page, '/publish/endpoints?list=announced&make=announce');
		await page.getByRole('button', { name: 'Plan to announce them' }).click();
		await expect(page.getByText('Write serial numbers, one on a line.')).toBeVisible();
		await expect(page.getByText('Choose a day.')).toBeVisible();
		await page.getByLabel('For', { exact: true }).selectOption({ label: 'Halifax' });
		await page.getByRole('textbox', { name: 'Expected from' }).fill('30 Nov');
		await page.getByLabel('Serial numbers').fill('serial;model\nHX 1;Tern 5\nHX-2;Tern 5\nHX-2;Tern 5');
		await page.getByRole('button', { name: 'Plan to announce them' }).click();
		await expect(page.getByText('Line 2: HX·1 is no serial number: it has a gap in it.')).toBeVisible();
		await page.getByLabel('From a file').setInputFiles({
			name: 'note.csv',
			mimeType: 'text/csv',
			buffer: Buffer.from('model,serial number\nTern 5,HX-1\nTern 5,HX-2\n')
		});
		await expect(page.getByText('2 serial numbers')).toBeVisible();
		await page.getByRole('button', { name: 'Plan to announce them' }).click();
		await expect(plan(page)).toContainText('Announce 2 endpoints for Halifax');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/endpoints?list=announced&scope=site:halifax');
		const list = page.getByRole('table', { name: 'announced endpoints' });
		await expect(list.getByRole('row', { name: /HX-2/ })).toContainText('expected');
		await page.getByRole('button', { name: 'Remove HX-1' }).click();
		await expect(plan(page)).toContainText('Announce HX-1 no more');
		expect(await commitAndFollow(page)).toBe('done');
		await expect(list.getByRole('row', { name: /HX-1/ })).toHaveCount(0);

		await visit(page, '/publish/endpoints?list=announced');
		await page.getByRole('link', { name: 'Change how endpoints at Halifax are let in' }).click();
		await page.getByRole('combobox', { name: 'Are let in' }).selectOption({ label: 'if announced, by the rules' });
		await page.getByRole('button', { name: 'Plan the change' }).click();
		await expect(plan(page)).toContainText('Let new endpoints at Halifax in if announced, by the rules');
		await page.getByRole('button', { name: 'Discard' }).click();
		await page.getByRole('link', { name: 'Change the networks of endpoints at Halifax' }).click();
		await page.getByRole('textbox', { name: /^Ranges/ }).fill('10.22.4.0/22, 10.21.5.0/24');
		await page.getByRole('button', { name: 'Plan the networks' }).click();
		await expect(page.getByText('10.21.5.0/24 has addresses in common with 10.21.4.0/22 of Bergen.')).toBeVisible();
		await page.getByRole('textbox', { name: /^Ranges/ }).fill('10.22.4.0/22, 10.22.8.0/24');
		await page.getByRole('button', { name: 'Plan the networks' }).click();
		await expect(plan(page)).toContainText('Endpoints at Halifax have addresses in 10.22.4.0/22, 10.22.8.0/24');
		await page.getByRole('button', { name: 'Discard' }).click();
		await page.getByRole('link', { name: 'change where endpoints call' }).click();
		await page.getByLabel('Host and port').fill('sextant.kittiwake.example');
		await page.getByRole('button', { name: 'Plan the address' }).click();
		await expect(page.getByText('Write a host and a port such as sextant.kept.example:8443.')).toBeVisible();
		await page.getByLabel('Host and port').fill('calls.kittiwake.example:8443');
		await page.getByRole('button', { name: 'Plan the address' }).click();
		await expect(plan(page)).toContainText('Let endpoints call calls.kittiwake.example:8443');
		await openReview(page);
		await expect(review(page)).toContainText('RV Fulmar: the record _sextant._tcp.kittiwake.example tells');
		await page.getByRole('button', { name: 'Discard' }).click();
	});

	test('a device that was lost is shut out: its certificate is revoked and nobody gets in from it, until it is let in again', async ({
		page,
		browser
	}) => {
		await visit(page, '/publish/endpoints?list=devices&scope=branch:chart-room');
		await page.getByRole('table', { name: 'endpoints' }).getByRole('link', { name: 'bgo-cr-002' }).click();
		await expect(card(page)).toContainText(/good until \d+ Feb 2027/);
		await card(page).getByRole('link', { name: 'Shut it out' }).click();
		await page.getByRole('button', { name: 'Plan to shut it out' }).click();
		await expect(page.getByText('Say why.')).toBeVisible();
		await page.getByRole('textbox', { name: /^Why/ }).fill('left in a taxi');
		await page.getByRole('button', { name: 'Plan to shut it out' }).click();
		await expect(plan(page)).toContainText('Shut bgo-cr-002 out');
		await openReview(page);
		await expect(review(page)).toContainText('1 certificate of theirs would be revoked');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/endpoints?list=devices&scope=endpoint:bgo-cr-002');
		await expect(page.getByRole('table', { name: 'endpoints' })).toContainText('shut out');
		const { revoked, list } = (await api(page.request, 'get', '/endpoint-authority')) as {
			revoked: { by: string }[];
			list: string;
		};
		expect(revoked.length).toBeGreaterThan(0);
		expect(list).toContain('BEGIN X509 CRL');
		// Whoever sits at it is told so at the door.
		const { rows } = (await api(page.request, 'get', '/endpoints?scope=endpoint:bgo-cr-002')) as {
			rows: { person: string }[];
		};
		const my = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
		await my.goto('/my/sign-in');
		await my.getByLabel('Login').fill(rows[0]!.person);
		await my.getByLabel('Password').fill('tideline');
		await my.getByRole('button', { name: 'Sign in' }).click();
		await expect(
			my.getByText('This device has been shut out. Use another one, or ask the helpdesk.').first()
		).toBeVisible();
		await accessible(my);
		await my.context().close();
		await page.getByRole('link', { name: 'bgo-cr-002', exact: true }).click();
		await expect(card(page)).toContainText(/revoked on .* by/);
		await expect(card(page)).toContainText('left in a taxi');
		await card(page).getByRole('link', { name: 'Let it in' }).click();
		await page.getByLabel('Into').selectOption({ label: 'Kittiwake › Offices › Bergen › Chart room' });
		await page.getByRole('button', { name: 'Plan to let it in' }).click();
		expect(await commitAndFollow(page)).toBe('done');
	});

	test('a box that sleeps is woken by its neighbour, and one that is gone for good is forgotten', async ({ page }) => {
		// Whoever uses it may come and wake it while it is looked at: until the plan is committed the clock stands still.
		await api(page.request, 'post', '/lab/clock', { paused: true });
		await visit(page, '/publish/endpoints?list=devices&scope=branch:hobart%20state:asleep%20model:"Tern%205"');
		await expect(page.getByRole('button', { name: /^Wake the \d+ asleep$/ })).toBeVisible();
		const first = page.getByRole('table', { name: 'endpoints' }).getByRole('link', { name: /^hba-/ }).first();
		const name = await first.innerText();
		await first.click();
		await card(page).getByRole('button', { name: 'Wake it' }).click();
		await expect(plan(page)).toContainText(`Wake ${name}`);
		await openReview(page);
		await expect(review(page)).toContainText(/woken by hba-/);
		expect(await commitAndFollow(page, 60)).toBe('done');
		await visit(page, `/publish/endpoints?list=devices&scope=endpoint:${name}`);
		const list = page.getByRole('table', { name: 'endpoints' });
		await expect(list).toContainText(name);

		// One that is nobody's stays asleep, and does not call in again.
		await visit(page, '/publish/endpoints?list=devices&sort=personName&scope=branch:laptops%20state:asleep');
		const nobodys = list.getByRole('link', { name: /^bgo-lap-/ }).first();
		const gone = await nobodys.innerText();
		await nobodys.click();
		await expect(card(page).getByText('used by')).toHaveCount(0);
		await card(page).getByRole('button', { name: 'Forget it' }).click();
		await expect(plan(page)).toContainText(`Forget ${gone}`);
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, `/publish/endpoints?list=devices&scope=endpoint:${gone}`);
		await expect(list.getByRole('link', { name: gone })).toHaveCount(0);
	});

	test('those of a scope that are awake are shown a text; one is kept for somebody, and is theirs on both cards', async ({
		page
	}) => {
		// At every hour it is day somewhere.
		const awake = async (branch: string) =>
			((await api(page.request, 'get', `/endpoints?scope=branch:${branch}%20state:awake&limit=1`)) as { total: number })
				.total;
		const offices = ['bergen', 'halifax', 'hobart'];
		const counts = await Promise.all(offices.map(awake));
		const branch = offices[counts.indexOf(Math.max(...counts))]!;
		await visit(page, `/publish/endpoints?list=devices&scope=branch:${branch}%20state:awake`);
		await page.getByRole('link', { name: /^Work with these \d+$/ }).click();
		await page.getByRole('button', { name: 'Plan it' }).click();
		await expect(page.getByText('Write what they should read.')).toBeVisible();
		await page.getByRole('textbox', { name: 'What they should read' }).fill('The network stops at noon.');
		await page.getByRole('button', { name: 'Plan it' }).click();
		await expect(plan(page)).toContainText('Show a text on ');
		await accessible(page);
		expect(await commitAndFollow(page)).toBe('done');

		await visit(page, '/publish/endpoints?list=devices&scope=model:"Dunlin%201"');
		await page.getByRole('link', { name: /^Work with these \d+$/ }).click();
		await page.getByLabel('What is done').selectOption('move them into a branch');
		await page.getByLabel('Into', { exact: true }).selectOption({ label: 'Kittiwake › Elsewhere' });
		await page.getByRole('button', { name: 'Plan it' }).click();
		await expect(plan(page)).toContainText(/\d+ endpoints/);
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/endpoints?list=devices&scope=model:"Dunlin%201"');
		// One or another may have started meanwhile, and been put back by its rule.
		await expect(page.getByRole('table', { name: 'endpoints' })).toContainText('Elsewhere');

		await visit(page, '/publish/endpoints?list=devices&sort=personName&scope=branch:laptops%20state:asleep');
		const nobodys = page
			.getByRole('table', { name: 'endpoints' })
			.getByRole('link', { name: /^bgo-lap-/ })
			.first();
		const name = await nobodys.innerText();
		await nobodys.click();
		await card(page).getByRole('link', { name: 'Keep it for somebody' }).click();
		await page.getByRole('button', { name: 'Plan to keep it' }).click();
		await expect(page.getByText('Say for whom.')).toBeVisible();
		await pick(page, 'For', /^Ida Vikan/, 'Ida Vikan');
		await page.getByRole('button', { name: 'Plan to keep it' }).click();
		await expect(plan(page)).toContainText(`Keep ${name} for Ida Vikan`);
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/people?card=person/ivikan');
		await expect(card(page)).toContainText(name);
		await card(page).getByRole('link', { name }).first().click();
		await expect(card(page)).toContainText(/kept for\s*Ida Vikan/);
		await card(page).getByRole('button', { name: 'Keep it for nobody any more' }).click();
		expect(await commitAndFollow(page)).toBe('done');
	});

	test('somebody is asked whether their screen may be looked at; after a yes it is shown, and what they said stands on the card', async ({
		page
	}) => {
		const { rows } = (await api(page.request, 'get', '/endpoints?scope=state:awake&sort=since&limit=200')) as {
			rows: { id: number; name: string; person: string | null; branch: string | null }[];
		};
		const used = rows.filter((r) => r.person !== null && r.branch !== null);
		// Most say yes; some say no, or are not in front of it.
		for (const { id, name } of used.slice(0, 12)) {
			await visit(page, `/publish/endpoints?list=devices&card=endpoint/${id}`);
			const look = card(page).getByRole('button', { name: 'Look at its screen' });
			await expect(card(page)).toContainText(name);
			// Whoever was on it may have left since.
			if (await look.isHidden()) continue;
			await look.click();
			await card(page).getByRole('button', { name: 'Look at its screen' }).click();
			await expect(card(page).getByRole('alert')).toContainText('Write why');
			await card(page).getByLabel('Why, in words that they read').fill('You rang about a grey chart.');
			await card(page).getByRole('button', { name: 'Look at its screen' }).click();
			await expect(plan(page)).toContainText(`Ask to look at the screen of ${name}`);
			const said = await commitAndFollow(page);
			await visit(page, `/publish/endpoints?list=devices&card=endpoint/${id}`);
			await expect(card(page)).toContainText('You rang about a grey chart.');
			if (said !== 'done') {
				await expect(card(page)).toContainText(/said no|did not answer/);
				continue;
			}
			await expect(card(page)).toContainText('said yes');
			const picture = card(page).getByRole('img', { name: `The screen of ${name} as it is now` });
			await expect(picture).toHaveJSProperty('naturalWidth', 1280);
			// Nobody else was let look.
			const other = await signedIn('builder');
			expect((await other.get(`/api/v1/endpoint-screens/${id}`)).status()).toBeGreaterThanOrEqual(403);
			await other.dispose();
			await accessible(page);
			return;
		}
		throw new Error('nobody said yes');
	});

	test('firmware is wished for a branch; the list says who takes it, and why others wait', async ({ page }) => {
		await visit(page, '/publish/endpoints?list=firmware');
		await expect(page.getByText('No firmware is wished for any branch')).toBeVisible();
		await page.getByRole('link', { name: 'Wish firmware' }).click();
		await page.getByRole('button', { name: 'Plan the firmware' }).click();
		await expect(page.getByText('Choose a version.')).toBeVisible();
		await page.getByLabel('Branch', { exact: true }).selectOption({ label: 'Kittiwake › Offices' });
		await page.getByLabel('Model', { exact: true }).selectOption('Tern 5');
		await page.getByLabel('Version', { exact: true }).selectOption({ label: '4.2.0, 240 MB' });
		await page.getByRole('button', { name: 'Plan the firmware' }).click();
		await expect(plan(page)).toContainText('Let Tern 5 in Offices have firmware 4.2.0');
		await accessible(page);
		await openReview(page);
		await expect(review(page)).toContainText(/\d+ wait: (somebody is on it|it sleeps)/);
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/publish/endpoints?list=firmware');
		await expect(page.getByRole('row', { name: /Offices Tern 5 4\.2\.0/ })).toContainText(
			/\d+: (somebody is on it|it sleeps)/
		);
		const list = page.getByRole('table', { name: 'endpoint firmware' });
		await list.getByRole('row').filter({ hasText: 'waits' }).first().getByRole('link').click();
		await expect(card(page)).toContainText('4.2.0 wished by Offices');
		await accessible(page);
		await page.getByRole('button', { name: 'Wish no firmware any more for Tern 5 in Offices' }).click();
		expect(await commitAndFollow(page)).toBe('done');
	});
});
