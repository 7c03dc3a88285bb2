import { expect, type Page } from '@playwright/test';
import { accessible, api, atPace, commitAndFollow, openReview, signIn, test, visit } from './hands';

const card = (page: Page) => page.getByRole('complementary', { name: 'Card' });
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });

/** Builds and rollouts take hours: they are waited for at this pace. */
const PACE = 600;
const follow = (page: Page, pace = PACE) => commitAndFollow(page, pace);

test.describe('the builder, before Tuesday', () => {
	test.beforeEach(async ({ page }) => {
		await signIn(page, 'builder');
	});
	test.afterEach(({ page }) => api(page.request, 'post', '/lab/clock', { paused: false }));

	test('a sheet out of order says which step and why; one press finds the nearest right order; what was typed is kept', async ({
		page
	}) => {
		await visit(page, '/build?line=watch-desk');
		await accessible(page);
		await page.getByRole('link', { name: 'Change the sheet' }).click();
		const steps = page.getByRole('list', { name: 'Steps' });
		await accessible(page);
		const last = steps.getByRole('button', { name: /^Generalise and seal/ });
		await last.focus();
		await page.keyboard.press('Alt+ArrowUp');
		await expect(
			page.getByText('“Generalise and seal” must be last: whatever comes after it would not be sealed').first()
		).toBeVisible();
		await page.getByRole('button', { name: 'Nearest right order: 1 move' }).click();
		await expect(page.getByText('Its order is right')).toBeVisible();

		// Dragged by its handle, from the second position to the third.
		await expect(steps.locator('li').nth(1)).toContainText('System updates');
		const from = (await steps
			.locator('li')
			.nth(1)
			.getByLabel(/^Drag step/)
			.boundingBox())!;
		const to = (await steps.locator('li').nth(2).boundingBox())!;
		await page.mouse.move(from.x + 5, from.y + from.height / 2);
		await page.mouse.down();
		await page.mouse.move(from.x + 5, from.y + 30, { steps: 6 });
		await page.mouse.move(from.x + 5, to.y + to.height * 0.8, { steps: 12 });
		await page.waitForTimeout(400);
		await page.mouse.up();
		await expect(steps.locator('li').nth(2)).toContainText('System updates');
		await expect(
			page.getByText(/must come before “Remove what shared desktops do not need”: updates bring back/).first()
		).toBeVisible();

		await page.getByLabel('Limit').fill('a while');
		await page.getByLabel('Memory').focus();
		await expect(page.getByText('Write a duration such as 3 h 30 min.')).toBeVisible();
		await expect(page.getByLabel('Limit')).toHaveValue('a while');
	});

	test('a step from the library with its parameters, the same sheet as text, errors at their line, and the plan', async ({
		page
	}) => {
		await visit(page, '/build/sheet?line=watch-desk');
		await page.getByPlaceholder(/^search/).fill('script');
		await page
			.getByRole('region', { name: 'Library of steps' })
			.getByRole('button', { name: /^script/ })
			.click();
		await page.getByRole('textbox', { name: 'name', exact: true }).fill('Drive map');
		await page.getByRole('textbox', { name: 'name', exact: true }).blur();
		await page.getByRole('textbox', { name: 'script', exact: true }).fill('unmap T:\nexit 0');
		await page.getByRole('textbox', { name: 'script', exact: true }).blur();
		await expect(page.getByText('Its order is right')).toBeVisible();

		await page.getByRole('button', { name: 'As text' }).click();
		const editor = page.getByRole('textbox', { name: 'Build sheet as text' });
		await expect(editor).toContainText('name: Drive map');
		await accessible(page);
		await editor.click();
		await page.keyboard.press('Control+End');
		await page.keyboard.type('  - kind: trimm');
		await expect(page.getByRole('list', { name: 'Problems of the text' })).toContainText(
			/Line \d+, column \d+: there is no kind of step called trimm; did you mean trim\?/
		);
		await expect(page.getByRole('button', { name: 'Plan this sheet' })).toBeDisabled();
		await page.getByRole('button', { name: 'As a list' }).click();
		await expect(page.getByText('The text cannot be read yet')).toBeVisible();
		for (let i = 0; i < '  - kind: trimm'.length; i++) await page.keyboard.press('Shift+Tab');
		await editor.click();
		await page.keyboard.press('Control+End');
		for (let i = 0; i < '  - kind: trimm'.length; i++) await page.keyboard.press('Backspace');
		await expect(page.getByText('Its order is right')).toBeVisible();
		await page.getByRole('button', { name: 'Plan this sheet' }).click();
		await expect(plan(page)).toContainText('Change the build sheet of watch-desk');
		expect(await follow(page)).toBe('done');
		await visit(page, '/build?line=watch-desk');
		await expect(page.locator('main')).toContainText('Script Drive map');
	});

	test('builds a version, which fails at a step, names it, is resumed, and lands held', async ({ page }) => {
		// Slower than the others: what the machine under the test lags behind counts against the build's own limit.
		const slowly = 150;
		const { id } = (await api(page.request, 'post', '/lab/faults', {
			kind: 'build-step-fails',
			target: 'Gaugetalk'
		})) as { id: number };
		await visit(page, '/build?line=watch-desk');
		await page.getByRole('button', { name: /Plan build 2.5.0/ }).click();
		await expect(plan(page)).toContainText('Build watch-desk 2.5.0');
		expect(await follow(page, slowly)).toBe('failed');
		await expect(page.locator('main')).toContainText('Install Gaugetalk: the step ended with exit code 1603');
		await api(page.request, 'delete', `/lab/faults/${id}`);
		// A step may fail by chance, too, now and then: it is resumed from there.
		let step = /at “Install Gaugetalk”/;
		await expect(async () => {
			await visit(page, '/build?line=watch-desk');
			await page.getByRole('button', { name: 'Resume', exact: true }).click();
			await expect(plan(page)).toContainText(step);
			step = /at “/;
			expect(await follow(page, slowly)).toBe('done');
		}).toPass();
		await visit(page, '/build?line=watch-desk&card=version/watch-desk/2.5.0');
		await expect(card(page)).toContainText('held back from');
		await expect(card(page)).toContainText('Gaugetalk');
		await expect(card(page)).toContainText('Who would take it, and why not');
		await expect(card(page)).toContainText(/\d+\s*its pool follows exactly 2\.3\.1: watch-halifax/);
		await accessible(page);
		const bom = (await api(page.request, 'get', '/boms/watch-desk/2.5.0')) as {
			bomFormat: string;
			components: { name: string }[];
		};
		expect(bom.bomFormat).toBe('CycloneDX');
		expect(bom.components.map((c) => c.name)).toContain('Gaugetalk');
	});

	test('a fix by hand: opened, worked on at the console, closed as a new version', async ({ page }) => {
		await visit(page, '/build/console?line=watch-desk');
		await page.getByLabel('Version').selectOption('2.4.0');
		await page.getByRole('button', { name: 'Open 2.4.0' }).click();
		await expect(plan(page)).toContainText('Open watch-desk 2.4.0 for work by hand');
		expect(await follow(page)).toBe('done');
		await visit(page, '/build/console?line=watch-desk');
		const type = page.getByLabel('Type at the console');
		await type.fill('set Machine\\Drives\\T off');
		await page.keyboard.press('Enter');
		await expect(page.getByRole('log')).toContainText('Machine\\Drives\\T = off');
		await type.fill('install Gaugetalk 1.7');
		await page.keyboard.press('Enter');
		await expect(page.getByRole('log')).toContainText('Gaugetalk 1.7 installed');
		await accessible(page);
		await page.getByRole('button', { name: 'Close as a new version' }).click();
		await page.getByLabel('What was done').fill('Drive T off: it made sign-ins slow');
		await page.getByRole('button', { name: 'Close as a new version' }).click();
		await expect(plan(page)).toContainText('Close watch-desk 2.4.0 as 2.4.1');
		expect(await follow(page)).toBe('done');
		await visit(page, '/build/compare?line=watch-desk&a=watch-desk/2.4.0&b=watch-desk/2.4.1');
		await expect(page.locator('main')).toContainText('2 parts differ');
		await expect(page.locator('main')).toContainText('settings by hand');
		await accessible(page);
	});

	test('joins up a site: certificate confirmed, every answer tried out, checks that go on', async ({ page }) => {
		test.setTimeout(300_000);
		await visit(page, '/build/sites');
		await accessible(page);
		const told = await page.getByRole('complementary', { name: 'The lab' }).textContent();
		const shown = /([0-9A-F]{2}:){31}[0-9A-F]{2}/.exec(told!)![0];
		await page.getByRole('button', { name: 'Join up a site' }).click();
		await page.getByLabel('Address').fill('compute.vardo.kittiwake.example:22');
		await page.getByRole('button', { name: 'Fetch its certificate' }).click();
		await expect(page.getByRole('alert')).toContainText('Nothing answers at compute.vardo.kittiwake.example:22');
		await page.getByLabel('Address').fill('compute.vardo.kittiwake.example:8443');
		await page.getByRole('button', { name: 'Fetch its certificate' }).click();
		await expect(page.locator('main')).toContainText('nobody known vouches for CN=Local authority, OU=Harbour works');
		await expect(page.locator('main')).toContainText(shown);
		await page.getByRole('button', { name: 'I have compared it: confirm' }).click();
		await expect(page.getByLabel('Account')).toBeVisible();
		// Somebody else could go on from here: what was answered is kept.
		await page.reload();
		await page.getByLabel('Account').fill('sextant');
		await page.getByLabel('Secret').fill('guess');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await expect(page.getByRole('alert')).toContainText('does not take the account sextant');
		await page.getByLabel('Secret').fill('tideline');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await expect(page.getByLabel('What is known so far')).toContainText('vrd-h01');
		// What the provider measured is proposed, to whoever goes on as well.
		await expect(page.getByLabel('Speed')).toHaveValue('250 Mbit/s');
		await page.reload();
		await expect(page.getByLabel('Speed')).toHaveValue('250 Mbit/s');
		await expect(page.getByRole('checkbox', { name: /vrd-desks/ })).toBeChecked();
		await page.getByLabel('Name').fill('Vardø');
		await page.getByLabel('Machines planned there').fill('24');
		await page.getByLabel('Speed').fill('soon');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await expect(page.getByText('Write a speed such as 250 Mbit/s.')).toBeVisible();
		await page.getByLabel('Speed').fill('0');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await expect(page.getByText('A link of no speed carries nothing: more than 0.')).toBeVisible();
		await page.getByLabel('Speed').fill('0.25 Gbit/s');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await page.getByLabel('Folder').selectOption('desks/vardo');
		await page.getByLabel('Directory account').fill('svc-join');
		await page.getByLabel('Its secret').fill('tideline');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await page.getByLabel('A host, an hour').fill('1.4');
		await page.getByLabel('A terabyte, a month').fill('€ 34');
		await page.getByRole('button', { name: 'Save and go on' }).click();
		await page.getByRole('button', { name: 'Look now' }).click();
		await expect(page.getByRole('list', { name: 'Checks' }).getByText('passes', { exact: true })).toHaveCount(8);
		await accessible(page);
		await page.getByRole('button', { name: 'Plan to join it up' }).click();
		await expect(plan(page)).toContainText('Join up Vardø: 2 hosts, 1 volume');
		expect(await follow(page)).toBe('done');
		await visit(page, '/build/sites');
		await expect(page.getByRole('row', { name: /Vardø/ })).toContainText('8 of 8 pass');
		await api(page.request, 'post', '/lab/faults', { kind: 'clock-off', target: 'vardo' });
		await atPace(page, PACE, () =>
			expect(page.getByRole('row', { name: /Vardø/ })).toContainText(/ahead/, { timeout: 240_000 })
		);
		await expect(page.getByRole('row', { name: /Vardø/ })).toContainText('take its time from the same source');
	});

	test('takes computers over from a list, names its bad lines, and sizes a disk by what was measured', async ({
		page
	}) => {
		test.setTimeout(300_000);
		await visit(page, '/publish?make=taken');
		await accessible(page);
		await page.getByLabel('Name', { exact: true }).fill('Old computers');
		await page.getByLabel('Site').selectOption('bergen');
		await page.getByLabel('Folder for accounts').selectOption('desks/bergen');
		const list = page.getByLabel('List of machines');
		await list.fill('name,kind,owner\nws-bgo-01,virtual,\nws-bgo-09,,\nws-bgo-02,physical,alindqvist');
		await page.getByRole('button', { name: 'Plan to take them over' }).click();
		const wrong = page.getByRole('alert', { name: 'Problems of the list' });
		await expect(wrong).toContainText('Line 2: ws-bgo-01 is a physical machine, not a virtual one.');
		await expect(wrong).toContainText('Line 3: the compute provider knows no machine ws-bgo-09.');
		await expect(list).toHaveValue(/ws-bgo-09/);
		await list.fill('name,kind,owner\nws-bgo-01,physical,\nws-bgo-02,physical,alindqvist');
		await page.getByRole('button', { name: 'Plan to take them over' }).click();
		await expect(plan(page)).toContainText('Take over 2 machines as pool Old computers in Bergen');
		expect(await follow(page)).toBe('done');
		await visit(page, '/watch?list=machines&card=machine/ws-bgo-02');
		await expect(card(page)).toContainText('as it was found');
		await expect(card(page).getByText('kept by')).toBeVisible();

		await visit(page, '/publish?make=pool');
		await page.getByRole('button', { name: 'Compute', exact: true }).click();
		await expect(page.getByText(/99 of 100 machine-days wrote under/)).toBeVisible();
		await page.getByLabel('Add to: Boot servers').selectOption('bgo-boot-1');
		await page.getByLabel('Add to: Boot servers').selectOption('bgo-boot-2');
		await page.getByRole('button', { name: 'bgo-boot-2 earlier' }).click();
		await expect(page.getByRole('group', { name: 'Boot servers' }).getByRole('listitem')).toContainText([
			'bgo-boot-2',
			'bgo-boot-1'
		]);
		await accessible(page);
		await visit(page, '/build/pools');
		await page.getByLabel('Choose Payroll close').check();
		await page.getByRole('button', { name: 'bgo-boot-2 earlier' }).click();
		await page.getByRole('button', { name: 'Plan this order' }).click();
		await expect(plan(page)).toContainText('Let Payroll close start from bgo-boot-2, then bgo-boot-1');
		expect(await follow(page)).toBe('done');
	});

	test('patch night comes by itself: rebuilt, tried, and asking for release on Today', async ({ page }) => {
		test.setTimeout(300_000);
		const { now } = (await api(page.request, 'get', '/lab/clock')) as { now: number };
		// Far enough ahead that it has not passed before the form is filled in.
		const soon = new Date(now + 2 * 3_600_000);
		await visit(page, '/build/schedules');
		await accessible(page);
		await page.getByLabel('Name').fill('Patch night');
		await page.getByLabel('Image line').selectOption('processing-host');
		await page.getByLabel('Rule').fill('FREQ=NEVER');
		await page.getByRole('button', { name: 'Plan the schedule' }).click();
		await expect(page.getByText('FREQ is DAILY, WEEKLY, MONTHLY or YEARLY.')).toBeVisible();
		await page.getByLabel('Rule').fill('FREQ=DAILY');
		await page.getByLabel('Time zone').fill('Etc/UTC');
		await page.getByLabel('First time').fill(soon.toISOString().slice(0, 16));
		await page.getByRole('button', { name: 'Plan the schedule' }).click();
		await expect(plan(page)).toContainText('Patch night: every day at');
		expect(await follow(page)).toBe('done');
		await api(page.request, 'post', '/lab/clock', { step: 2.2 * 3600 });
		await visit(page, '/build/schedules');
		await page
			.locator('main')
			.getByRole('link', { name: /^(running|done)$/ })
			.click();
		const status = page.getByRole('status').first();
		await atPace(page, PACE, async () => {
			await expect(status).toContainText(/^\s*done/, { timeout: 400_000 });
			await visit(page, '/');
			await expect(page.getByText('processing-host 1.8.1 has passed its trial')).toBeVisible();
		});
		await visit(page, '/build?card=version/processing-host/1.8.1');
		await expect(card(page)).toContainText('passed');
		// What becomes of it between plan and commit would be refused: the clock stands still meanwhile.
		await api(page.request, 'post', '/lab/clock', { paused: true });
		await card(page).getByRole('button', { name: 'Release it' }).click();
		await expect(plan(page)).toContainText(/Release processing-host 1\.8\.1/);
		expect(await follow(page)).toBe('done');
	});

	test('ships only what a ship lacks, and says when it is there', async ({ page }) => {
		test.setTimeout(300_000);
		await visit(page, '/build/shipping?version=watch-desk/2.4.0');
		await accessible(page);
		await page.getByLabel('Ship to RV Petrel').check();
		await page.getByLabel('Every night from').fill('late');
		await page.getByRole('button', { name: 'Plan to ship' }).click();
		await expect(page.getByText('Write a time of day such as 01:00.')).toBeVisible();
		await expect(page.getByLabel('Every night from')).toHaveValue('late');
		await page.getByLabel('Every night from').fill('00:00');
		await page.getByLabel('until').fill('00:00');
		await page.getByLabel('Share of the link').fill('90 %');
		await page.getByRole('button', { name: 'Plan to ship' }).click();
		await expect(plan(page)).toContainText('Ship watch-desk 2.4.0 to RV Petrel');
		await openReview(page);
		await expect(page.locator('body')).toContainText(/RV Petrel has it .* local time: [\d.]+ GB at [\d.]+ Mbit\/s/);
		expect(await follow(page)).toBe('done');
		await visit(page, '/build/shipping?version=watch-desk/2.4.0');
		await expect(page.getByRole('row', { name: /RV Petrel 8 Mbit/ })).toContainText('whole');
	});

	test('malware in one pool: every machine of it anew, at once, the people signed out', async ({ page }) => {
		await visit(page, '/build/pools');
		await accessible(page);
		await page.getByLabel('Choose Payroll close').check();
		const how = page.getByRole('group', { name: 'How Payroll close is made fresh' });
		await how.getByLabel('People who are signed in').selectOption('now');
		await how.getByLabel('At once, at most').fill('0');
		await page.getByRole('button', { name: 'Plan the reset' }).click();
		await expect(page.getByText('At least 1.')).toBeVisible();
		// Somebody who signs in between plan and commit would be hit as well, and it would be refused: the clock stands still meanwhile.
		await api(page.request, 'post', '/lab/clock', { paused: true });
		await how.getByLabel('At once, at most').fill('14');
		await page.getByRole('button', { name: 'Plan the reset' }).click();
		await expect(plan(page)).toContainText('Reset Payroll close to its image: 14 machines');
		expect(await follow(page)).toBe('done');
		await expect(page.locator('main')).toContainText('14 done');
	});

	test('volumes are evened out by a rule, with a choice for the people on them, and the schedule is undone', async ({
		page
	}) => {
		await visit(page, '/build/pools');
		const how = page.getByRole('group', { name: 'How volumes are evened out' });
		await how.getByLabel('People who are signed in').selectOption('ask');
		await how.getByLabel('Signed out after').fill('soon');
		await page.getByRole('button', { name: 'Even out Bergen' }).click();
		await expect(how.getByText('Write a duration such as 25 min or 3 h 30 min.')).toBeVisible();
		await expect(how.getByLabel('Signed out after')).toHaveValue('soon');
		await how.getByLabel('Signed out after').fill('1 h');
		await how.getByLabel('None over').fill('5');
		await page.getByRole('button', { name: 'Even out Bergen' }).click();
		await expect(how.getByText('At least 10 %.')).toBeVisible();
		await how.getByLabel('None over').fill('60');
		await page.getByLabel('again and again, by a rule').last().check();
		await how.getByLabel('Rule').fill('FREQ=WEEKLY;BYDAY=SA');
		await page.getByRole('button', { name: 'Schedule it for Bergen' }).click();
		await expect(plan(page)).toContainText('Even out Bergen: every week on Saturday');
		expect(await follow(page)).toBe('done');
		await page.goto('/changes');
		await page
			.getByRole('link', { name: /^Even out Bergen/ })
			.first()
			.click();
		await card(page).getByRole('button', { name: /Undo/ }).click();
		await expect(plan(page)).toContainText('Take off Even out Bergen');
		expect(await follow(page)).toBe('done');
		await visit(page, '/build/schedules');
		await expect(page.locator('main')).not.toContainText('Even out Bergen');
	});

	test('a rollout that the gate stops goes back by itself', async ({ page }) => {
		test.setTimeout(300_000);
		await visit(page, '/build/rollouts?line=watch-desk&number=2.4.0');
		await accessible(page);
		await page.getByLabel('Watch Desk Halifax').check();
		// Nobody waits for the end of a shift.
		await page.getByLabel('People who are signed in').selectOption('grace');
		await page.getByLabel('Signed out after').fill('10 min');
		await page.getByLabel(/^Wave 1: /).fill('60 %');
		await page.getByLabel('Fewer than this tell nothing').fill('3');
		await page.getByRole('button', { name: 'Take wave 2 out' }).click();
		await page.getByLabel('Each wave is watched for').fill('a bit');
		await page.getByRole('button', { name: 'Plan the rollout' }).click();
		await expect(page.getByText('Write a duration such as 25 min or 3 h 30 min.')).toBeVisible();
		// Somebody begins their shift within that time, whatever the hour.
		await page.getByLabel('Each wave is watched for').fill('9 h');
		await api(page.request, 'post', '/lab/clock', { paused: true });
		await page.getByRole('button', { name: 'Plan the rollout' }).click();
		await expect(plan(page)).toContainText(/Roll watch-desk 2\.4\.0 out to \d+ machines in 2 waves/);
		// What is said of it is read within seconds, and the page may be late: that it was committed is what counts here.
		const committed = page.waitForResponse((r) => /\/plans\/\d+\/commit$/.test(new URL(r.url()).pathname));
		await page.getByRole('button', { name: 'Commit' }).click();
		expect((await committed).ok()).toBe(true);
		await api(page.request, 'post', '/lab/clock', { paused: false });
		await visit(page, '/build/rollouts');
		const rollout = page.getByRole('region', { name: 'Rollout of watch-desk 2.4.0' });
		await expect(rollout).toContainText('running');
		// The word in its own mark: each wave also counts the machines that it has returned so far.
		await atPace(page, PACE, () =>
			expect(rollout.getByText('returned', { exact: true })).toBeVisible({ timeout: 240_000 })
		);
		await expect(rollout).toContainText(/sign-in Apdex .*: under 0\.85, and clearly worse/);
		const left = (await api(page.request, 'get', '/machines?scope=pool:watch-halifax%20version:2.4.0')) as {
			total: number;
		};
		expect(left.total).toBe(0);
	});
});
