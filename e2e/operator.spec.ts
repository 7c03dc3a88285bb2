import { expect } from '@playwright/test';
import { accessible, api, commitAndFollow, openReview, pick, signIn, test, visit } from './hands';

test.describe.serial('the operator, adding joiners', () => {
	test.beforeEach(async ({ page }) => {
		await signIn(page, 'operator');
	});

	test('a pool that does not fit is blocked with the shortage named', async ({ page }) => {
		await visit(page, '/publish?make=pool');
		await accessible(page);
		await page.getByRole('button', { name: 'Plan the pool' }).click();
		await expect(page.getByText('Give the pool a name.')).toBeVisible();
		await page.getByLabel('Name', { exact: true }).fill('Survey annexe');
		await page.getByLabel('Names').fill('bgo-nodigit');
		await expect(page.getByText(/Add a run of #/)).toBeVisible();
		await page.getByLabel('Names').fill('bgo-br-###');
		await expect(page.getByText(/96 passed over: bgo-br-001 is an? /)).toBeVisible();
		await page.getByLabel('Names').fill('bgo-sa-##');
		await page.getByLabel('Memory').fill('64 GB');
		await page.getByLabel('How many').fill('80');
		await page.getByRole('button', { name: 'Plan the pool' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText(
			/of memory missing: there is room for \d+ machines, 80 are asked for/
		);
		await expect(page.getByRole('button', { name: 'Commit' })).toBeDisabled();
		await page.getByRole('button', { name: 'Discard' }).click();
	});

	test('makes a pool, publishes it, grants it, and the person it is for works on it', async ({ page, browser }) => {
		await visit(page, '/publish?make=pool');
		await page.getByLabel('Name', { exact: true }).fill('Survey annexe');
		await page.getByLabel('Names').fill('bgo-sa-##');
		await page.getByLabel('How many').fill('3');
		await expect(page.getByText('bgo-sa-01, bgo-sa-02, bgo-sa-03')).toBeVisible();
		await page.getByRole('button', { name: 'Plan the pool' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toContainText('Make pool Survey annexe: 3 machines');
		expect(await commitAndFollow(page)).toBe('done');
		await expect(page.getByText(/made: \d/)).toBeVisible();

		await visit(page, '/publish?make=publication');
		await page.getByLabel('Name for people').fill('Annexe desk');
		await page.getByLabel('Name for us').fill('Survey annexe desk');
		await page.getByLabel('Survey annexe', { exact: true }).check();
		await page.getByRole('button', { name: 'Plan the publication' }).click();
		expect(await commitAndFollow(page)).toBe('done');

		await visit(page, '/publish?make=grant');
		await pick(page, 'Publication', 'Survey annexe desk');
		await page.getByLabel('To', { exact: true }).selectOption('person');
		await page.getByRole('combobox', { name: 'Person' }).fill('nobody-here');
		await page.getByRole('button', { name: 'Plan the grant' }).click();
		await expect(page.getByText('The directory knows nobody called nobody-here.')).toBeVisible();
		await pick(page, 'Person', /Asa Lindqvist/, 'asa lind');
		await expect(page.getByRole('status', { name: 'What it would do' })).toContainText('1 person affected · ');
		await page.getByRole('button', { name: 'Plan the grant' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText('gains access');
		expect(await commitAndFollow(page)).toBe('done');

		const phone = await browser.newContext({ viewport: { width: 390, height: 844 } });
		const my = await phone.newPage();
		await my.goto('/my');
		await my.getByLabel('Login').fill('alindqvist');
		await my.getByLabel('Password').fill('wrong');
		await my.getByRole('button', { name: 'Sign in' }).click();
		await expect(my.getByText('Login or password is wrong.')).toBeVisible();
		await my.getByLabel('Password').fill('tideline');
		await my.getByRole('button', { name: 'Sign in' }).click();
		const tile = my.getByRole('listitem').filter({ hasText: 'Annexe desk' });
		await expect(tile).toBeVisible();
		await accessible(my);
		await tile.getByRole('button', { name: /Open/ }).click();
		await expect(my.getByRole('heading', { name: 'Opening Annexe desk' })).toBeVisible();
		await expect(my.getByText(/on bgo-sa-0\d/)).toBeVisible({ timeout: 240_000 });
		await accessible(my);
		await visit(page, '/watch?list=sessions&scope=person:alindqvist');
		await expect(page.getByRole('table', { name: 'sessions' }).getByText('bgo-sa-0').first()).toBeVisible();
		await my.getByRole('button', { name: 'Sign out' }).click();
		await expect(my.getByRole('heading', { name: /Hello/ })).toBeVisible();
		await phone.close();
	});

	test('who gets what, and a condition that shuts people out is told before it is saved', async ({ page }) => {
		await visit(page, '/publish?card=person/alindqvist');
		await expect(page.getByRole('complementary', { name: 'Card' })).toContainText('by the grant to Chart Production');
		await visit(page, '/secure');
		await accessible(page);
		await page
			.getByRole('row', { name: /Survey annexe|Annexe desk/ })
			.getByRole('link', { name: /change/ })
			.click();
		await page.getByLabel('From these ranges only').fill('192.0.2.0/33');
		await page.getByRole('button', { name: 'Plan the change' }).click();
		await expect(page.getByText('Write an address range such as 10.21.0.0/22.')).toBeVisible();
		await page.getByLabel('From these ranges only').fill('192.0.2.0/24');
		await page.getByRole('button', { name: 'Plan the change' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText('loses access');
		expect(await commitAndFollow(page)).toBe('done');
		await visit(page, '/secure?who=alindqvist&what=survey-annexe-desk');
		await expect(page.getByRole('region', { name: 'Answer' })).toContainText(
			'No, alindqvist may not open Survey annexe desk'
		);
		await expect(page.getByRole('region', { name: 'Answer' })).toContainText('lies in none of 192.0.2.0/24');
		await visit(page, '/changes');
		await page
			.getByRole('row', { name: /Change the grant of Annexe desk/ })
			.getByRole('button', { name: 'Undo' })
			.click();
		await expect(page.getByRole('region', { name: 'Plan' })).toContainText('1 person affected');
		expect(await commitAndFollow(page)).toBe('done');
	});

	test('sets a policy, and the engine acts on it and says why', async ({ page }) => {
		await visit(page, '/scale?pool=survey-annexe');
		await accessible(page);
		await page.getByLabel('Never fewer machines than').fill('9');
		await page.getByRole('button', { name: 'Plan this policy' }).click();
		await expect(page.getByText(/is more than the most/)).toBeVisible();
		await page.getByLabel('Never fewer machines than').fill('3');
		await page.getByRole('button', { name: 'Plan this policy' }).click();
		expect(await commitAndFollow(page)).toBe('done');
		await api(page.request, 'post', '/lab/clock', { step: 300 });
		await visit(page, '/scale?pool=survey-annexe');
		await expect(
			page.getByText(/started: fewer than 3 machines were up|started: \d seats? missing/).first()
		).toBeVisible();
	});

	test('mends the gateway from Today; the finding goes, and the change can be undone', async ({ page }) => {
		await visit(page, '/');
		await page.getByRole('button', { name: 'Hand out 203.0.113.22 again' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText('can connect again');
		await page.keyboard.press('Control+Enter');
		await expect(page.getByRole('region', { name: 'Plan' })).toHaveCount(0);
		await api(page.request, 'post', '/lab/clock', { step: 60 });
		await visit(page, '/');
		await expect(
			page.getByRole('region', { name: /Needs a person/ }).getByText('get no picture through the Halifax gateway')
		).toHaveCount(0);
		await visit(page, '/changes');
		const line = page.getByRole('row', { name: /hfx-gw-1 hand out the relay 203.0.113.22/ });
		await expect(line).toContainText('Ines Haugland');
		await accessible(page);
		await line.getByRole('button', { name: 'Undo' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText(
			'nothing answers at 192.0.2.22'
		);
		await page.getByRole('button', { name: 'Discard' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toHaveCount(0);
	});

	test('two plans on the same thing: the second is refused with what changed, and recomputed with one press', async ({
		page
	}) => {
		const { id } = (await api(page.request, 'post', '/plans', {
			kind: 'policy.set',
			input: { pool: 'payroll', headroomIn: 5 }
		})) as { id: number };
		await visit(page, '/scale?pool=payroll');
		await page.getByLabel('Ready outside them').fill('1');
		await page.getByRole('button', { name: 'Plan this policy' }).click();
		await expect(page.getByRole('region', { name: 'Plan' })).toBeVisible();
		await api(page.request, 'post', `/plans/${id}/commit`, {});
		await page.getByRole('button', { name: 'Commit' }).click();
		await expect(page.getByRole('complementary', { name: 'Plan in review' })).toContainText(
			/has been changed since|is working on/
		);
		// Where it is blocked by the other's job, it comes free by itself once that has ended.
		const again = page.getByRole('button', { name: 'Recompute' });
		await expect(async () => {
			if (await again.isVisible()) await again.click({ timeout: 2000 });
			await expect(again).toHaveCount(0, { timeout: 2000 });
		}).toPass();
		expect(await commitAndFollow(page)).toBe('done');
	});
});

test('a plan that waits for a job comes free by itself once the job has ended', async ({ page }) => {
	await signIn(page, 'operator');
	// Of all pools: at some hours one alone has nothing switched on. The policy may be switching the first one off just now.
	const restarted = async () => {
		const { rows } = (await api(page.request, 'get', '/machines?scope=state:ready&limit=1')) as {
			rows: { name: string }[];
		};
		expect(rows, 'a machine of the estate is ready at any hour').toHaveLength(1);
		return { kind: 'machine.restart', input: { machines: [rows[0]!.name] } };
	};
	const draft = async (plan: unknown) =>
		(await api(page.request, 'post', '/plans', plan as object)) as { id: number; blocks: unknown[] };
	await api(page.request, 'post', '/lab/clock', { speed: 5 });
	try {
		let plan: unknown;
		await expect(async () => {
			plan = await restarted();
			await api(page.request, 'post', `/plans/${(await draft(plan)).id}/commit`, {});
		}).toPass();
		const waits = await draft(plan);
		expect(waits.blocks).toHaveLength(1);
		await visit(page, `/scale?plan=${waits.id}`);
		const tray = page.getByRole('region', { name: 'Plan' });
		await expect(tray).toContainText(/blocked: job \d+ is working on machine/);
		await expect(tray.getByRole('button', { name: 'Commit' })).toBeDisabled();
	} finally {
		await api(page.request, 'post', '/lab/clock', { speed: 60 });
	}
	const tray = page.getByRole('region', { name: 'Plan' });
	await expect(tray.getByRole('button', { name: 'Commit' })).toBeEnabled();
	await expect(tray).not.toContainText('blocked');
	await tray.getByRole('button', { name: 'Discard' }).click();
	await expect(tray).toHaveCount(0);
});

test('a plan committed for a time waits as a flag ahead on the ribbon, and can be called off', async ({ page }) => {
	await signIn(page, 'operator');
	await visit(page, '/scale?pool=ship-gannet');
	await page.getByLabel('Seats ready in hours').fill('5');
	await page.getByRole('button', { name: 'Plan this policy' }).click();
	await page.getByRole('button', { name: 'At a time' }).click();
	await expect(page.getByLabel('at Europe/Oslo')).toHaveValue(/^\w{3} \d+ Nov 2026 \d\d:\d\d$/);
	await page.getByRole('button', { name: 'Commit' }).click();
	await page.getByRole('button', { name: /^Job \d+$/ }).click();
	await page.waitForURL(/\/jobs\/\d+/);
	await expect(page.getByRole('status').first()).toContainText(/waiting\s+until/);
	await expect(
		page.locator('footer').getByRole('button', { name: /Change the policy of Ship desks RV Gannet/ })
	).toBeVisible();
	await page.getByRole('button', { name: 'Cancel where safe' }).click();
	await expect(page.getByRole('status').first()).toContainText('cancelled');
});

test('what runs out stands on Today with a plan that makes room; slow sign-ins with their breakdown', async ({
	page
}) => {
	await signIn(page, 'operator');
	await visit(page, '/');
	const volume = page.getByRole('listitem').filter({ hasText: 'Volume hba-v1 is' });
	await volume.getByRole('button', { name: /^Extend it to/ }).click();
	const tray = page.getByRole('region', { name: 'Plan' });
	await expect(tray).toContainText(/Extend volume hba-v1 to \d+(\.\d)? TB/);
	await openReview(page);
	const review = page.getByRole('complementary', { name: 'Plan in review' });
	await expect(review).toContainText('a volume can grow, but not shrink');
	await expect(review).toContainText('people affected0');
	expect(await commitAndFollow(page)).toBe('done');
	await visit(page, '/');
	await expect(volume).toHaveCount(0);

	const slow = page.getByRole('listitem').filter({ hasText: 'Slow sign-ins on watch-desk' });
	await slow.getByRole('link', { name: 'Breakdown' }).click();
	await page.waitForURL(/\/watch\?list=sessions/);
	await expect(page.getByText(/image line watch-desk/).first()).toBeVisible();
	await page.getByRole('rowgroup', { name: 'Rows' }).getByRole('link').first().click();
	await expect(page.getByRole('complementary', { name: 'Card' })).toContainText('drives and printers');
});

test('a publication is changed from its list, refused beside the field, and undone', async ({ page }) => {
	await signIn(page, 'operator');
	await visit(page, '/publish?scope=publication:ship-desk');
	const row = page.getByRole('row', { name: /Ship desk Ship desk/ });
	await expect(row).toContainText('Ship desks RV Fulmar');
	await row.getByRole('link', { name: /Change/ }).click();
	await page.getByLabel('Name for people').fill('Chart Studio');
	await page.getByRole('button', { name: 'Plan the change' }).click();
	await expect(page.getByRole('alert').filter({ hasText: 'People would see two of that name' })).toBeVisible();
	await expect(page.getByLabel('Name for people')).toHaveValue('Chart Studio');
	await page.getByLabel('Name for people').fill('Desk aboard');
	await page.getByRole('button', { name: 'Plan the change' }).click();
	expect(await commitAndFollow(page)).toBe('done');
	await visit(page, '/publish?scope=publication:ship-desk');
	await expect(page.getByRole('row', { name: /Ship desk Desk aboard/ })).toBeVisible();
	await expect(page.getByRole('link', { name: 'Bridge desks Bergen' })).toHaveCount(0);
});

test('each stage says which terms of the scope mean nothing for it, and uses the others', async ({ page }) => {
	await signIn(page, 'auditor');
	for (const [path, of] of [
		['/', 'findings, repairs and jobs'],
		['/publish', 'pools, publications and teams'],
		['/secure', 'grants'],
		['/scale', 'pools'],
		['/fix', 'findings']
	] as const) {
		await visit(page, `${path}?scope=${encodeURIComponent('publication:chart-studio strain>1')}`);
		await expect(page.getByText(`says nothing of ${of} and is left out here`), path).toBeVisible();
	}
	await visit(page, `/scale?scope=${encodeURIComponent('publication:chart-studio')}`);
	await expect(page.getByRole('heading', { name: /Chart Studio/ }).first()).toBeVisible();
	await expect(page.getByText('Bridge desks Bergen')).toHaveCount(0);
	await visit(page, `/secure?scope=${encodeURIComponent('team:planning')}`);
	await expect(page.getByRole('row', { name: /Chart Studio/ })).toBeVisible();
	await expect(page.getByRole('row', { name: /Payroll/ })).toHaveCount(0);
});

test('every other view is accessible, by day and by night', async ({ page }) => {
	test.setTimeout(600_000);
	await signIn(page, 'owner');
	for (const path of [
		'/',
		'/watch?list=machines',
		'/watch?list=people',
		'/watch?list=hosts',
		'/fix',
		'/jobs',
		'/settings',
		'/publish',
		'/publish/people',
		'/publish/people?list=everybody',
		'/?card=machine/bgo-br-001',
		'/?card=person/alindqvist',
		'/?card=pool/chart-studio',
		'/?card=site/hobart',
		'/?card=version/bridge-desk/3.2.0'
	]) {
		await visit(page, path);
		await accessible(page);
	}
	await page.evaluate(() => (document.cookie = 'theme=night;path=/'));
	for (const path of ['/', '/build', '/scale', '/fix']) {
		await visit(page, path);
		await expect(page.locator('html')).toHaveAttribute('data-theme', 'night');
		await accessible(page);
	}
});

test('somebody who went to another team was of the other before, on their card and in every list', async ({ page }) => {
	await signIn(page, 'operator');
	const card = page.getByRole('complementary', { name: 'Card' });
	await visit(page, '/watch?list=people&scope=team:charts person:ykvamme&card=person/ykvamme');
	await expect(page.locator('main')).toContainText('Yngve Kvamme');
	await expect(card).toContainText(/home team\s*Chart Production/);
	await expect(card).toContainText('Teams, now and before');
	await expect(card).toContainText(/Hydrography, home team.*until Mon 9 Nov 07:30/);
	await expect(card).toContainText('Chart Studio, by the grant to Chart Production');
	await visit(
		page,
		'/watch?list=people&scope=team:hydrography person:ykvamme&card=person/ykvamme&at=2026-11-08T12:00:00Z'
	);
	await expect(page.locator('main')).toContainText('Yngve Kvamme');
	await expect(card).toContainText(/home team\s*Hydrography/);
	await expect(card).not.toContainText('by the grant to Chart Production');
});

test('the lab bench pauses, steps and breaks things, plainly apart', async ({ page }) => {
	await signIn(page, 'operator');
	await visit(page, '/');
	await page.getByRole('button', { name: /^lab/ }).click();
	const bench = page.getByRole('complementary', { name: 'Lab bench' });
	await expect(bench).toContainText('not part of Sextant');
	await bench.getByRole('button', { name: 'Pause' }).click();
	await expect(bench).toContainText('paused');
	await bench.getByLabel('Where').fill('no-such-machine');
	await bench.getByRole('button', { name: 'Switch the fault on' }).click();
	await expect(bench.getByRole('alert')).toContainText('no machine no-such-machine');
	await bench.getByLabel('Where').fill('bgo-br-001');
	await bench.getByRole('button', { name: 'Switch the fault on' }).click();
	await expect(bench).toContainText('agent-stopped: bgo-br-001');
	await bench.getByRole('button', { name: /switch off agent-stopped bgo-br-001/ }).click();
	await bench.getByLabel('A device to switch on').fill('nobody-9');
	await bench.getByRole('button', { name: 'Switch the device on' }).click();
	await expect(bench.getByRole('alert')).toContainText('The lab has no device nobody-9.');
	await bench.getByLabel('A device to switch on').fill('hba-ws-01');
	await bench.getByRole('button', { name: 'Switch the device on' }).click();
	await expect(bench.getByRole('status')).toContainText('hba-ws-01 is switched on.');
	await bench.getByRole('button', { name: 'Go on' }).click();
	await expect(bench).not.toContainText('paused');
});
