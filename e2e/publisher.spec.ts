import { spawnSync } from 'node:child_process';
import { mkdirSync, readFileSync, writeFileSync } from 'node:fs';
import { join } from 'node:path';
import { expect, type Page } from '@playwright/test';
import { accessible, commitAndFollow, signIn, test, visit } from './hands';

const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
const card = (page: Page) => page.getByRole('complementary', { name: 'Card' });

test.describe('an app, from its installer to a package', () => {
	test.describe.configure({ mode: 'serial' });
	test.beforeEach(({ page }) => signIn(page, 'builder'));
	/** Captures take a while: they are waited for at this pace. */
	const follow = (page: Page) => commitAndFollow(page, 300);

	async function capture(page: Page, installer: string, name: string): Promise<void> {
		await visit(page, '/publish/packages');
		await page.getByLabel('Installer').selectOption(installer);
		await page.getByRole('button', { name: 'Plan the capture' }).click();
		await expect(plan(page)).toContainText('Capture');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages');
		await page.getByRole('link', { name, exact: true }).first().click();
		await expect(page.getByRole('tree', { name: 'Changes' })).toBeVisible();
	}

	test('captured: app, noise and doubtful told apart, chosen by key and by pattern, made into a package', async ({
		page
	}) => {
		test.setTimeout(300_000);
		await visit(page, '/publish/packages');
		await accessible(page);
		await page.getByLabel('Set in the app').fill('nonsense');
		await page.getByRole('button', { name: 'Plan the capture' }).click();
		await expect(page.getByRole('alert')).toContainText('“nonsense” is not written as');
		await expect(page.getByLabel('Set in the app')).toHaveValue('nonsense');
		await capture(page, 'logline-3.0', 'Logline 3.0.0');
		await accessible(page);
		await expect(page.locator('main')).toContainText('2 doubtful not decided about');

		// What is doubtful, by the keyboard: down to the system's folder, opened, its file taken.
		await page.getByRole('button', { name: /^doubtful 2/ }).click();
		const tree = page.getByRole('tree', { name: 'Changes' });
		await expect(tree.getByRole('treeitem', { name: /^forms-runtime\.dll, left, doubtful/ })).toBeVisible({
			visible: false
		});
		await tree.focus();
		const active = () => tree.locator('[aria-selected="true"]').getAttribute('aria-label');
		for (let i = 0; i < 12 && !(await active())?.startsWith('forms-runtime.dll'); i++) {
			await page.keyboard.press((await active())?.startsWith('System,') ? 'ArrowRight' : 'ArrowDown');
			await page.waitForTimeout(200);
		}
		expect(await active()).toMatch(/^forms-runtime\.dll, left, doubtful: it was put into a folder of the system/);
		await page.keyboard.press(' ');
		await expect(page.locator('main')).toContainText('1 doubtful not decided about');
		await expect(page.getByRole('list', { name: 'What was decided' })).toContainText(
			'take C:/Meridian/System/forms-runtime.dll'
		);
		await page.getByLabel('By pattern').fill('**/help/**');
		await page.getByRole('button', { name: 'Leave', exact: true }).click();
		await expect(page.getByRole('list', { name: 'What was decided' })).toContainText('leave **/help/**');
		await page.getByLabel('Find in the changes').fill('help-2');
		await expect(page.getByRole('list', { name: 'Found' }).getByRole('checkbox').first()).not.toBeChecked();
		await page.getByLabel('Find in the changes').fill('');
		await page.getByRole('button', { name: 'Undo: leave **/help/**' }).click();
		await expect(page.getByRole('list', { name: 'What was decided' })).not.toContainText('help');

		// What it starts: the good one is proposed, the poor ones are pointed out.
		await expect(page.getByRole('checkbox', { name: /^Logline opens \.svy/ })).toBeChecked();
		await expect(page.getByRole('checkbox', { name: /^Logline forms editor/ })).not.toBeChecked();
		await expect(page.locator('main')).toContainText('stands for any program');
		await expect(page.locator('main')).toContainText('it looks like a helper of the app');
		await page.getByLabel('Where would it write').fill('C:/Meridian/System/x.dll');
		await expect(page.locator('main')).toContainText('the system stays as it is: the write goes to the overlay');

		await page.getByLabel('Package', { exact: true }).fill('Log Line');
		await page.getByRole('button', { name: 'Plan the package' }).click();
		await expect(page.getByText(/Small letters and digits/)).toBeVisible();
		await page.getByLabel('Package', { exact: true }).fill('logline');
		await page.getByRole('button', { name: 'Plan the package' }).click();
		await expect(plan(page)).toContainText('Make the package logline 1.0.0');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages?card=package/logline');
		await expect(card(page)).toContainText('Meridian Server 24, multi-user');
		await expect(card(page)).toContainText('C:/Program Files/Logline 3/logline.exe');
		await accessible(page);
	});

	test('a clash is found and settled by order', async ({ page }) => {
		test.setTimeout(300_000);
		await capture(page, 'soundings-2.2', 'Soundings 2.2.0');
		await page.getByRole('button', { name: /^doubtful/ }).click();
		await page.getByLabel('By pattern').fill('**/forms-runtime.dll');
		await page.getByRole('button', { name: 'Take', exact: true }).click();
		await expect(page.locator('main')).toContainText('Soundings help');
		await page.getByRole('button', { name: 'Plan the package' }).click();
		await expect(plan(page)).toContainText('Make the package soundings 1.0.0');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages');
		await page
			.getByRole('button', { name: /logline and soundings: 1 file.* and 1 file type/ })
			.first()
			.click();
		const clashes = page.getByRole('list', { name: 'Clashes of logline and soundings' });
		await expect(clashes).toContainText('C:/Meridian/System/forms-runtime.dll');
		await expect(clashes.getByText('logline wins').first()).toBeVisible();
		await accessible(page);
		await page.getByRole('button', { name: 'soundings earlier' }).click();
		await expect(plan(page)).toContainText('Change which package wins');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages');
		await page
			.getByRole('button', { name: /soundings/ })
			.and(page.locator('[aria-pressed]'))
			.first()
			.click();
		await expect(page.getByText('soundings wins').first()).toBeVisible();
	});

	test('a package leaves as a file, and comes back only when it is whole', async ({ page }) => {
		const response = await page.request.get('/api/v1/packages/logline/1.0.0');
		expect(response.headers()['content-disposition']).toContain('logline-1.0.0.tar');
		const bytes = await response.body();
		const good = test.info().outputPath('good.tar');
		const bent = test.info().outputPath('bent.tar');
		writeFileSync(good, bytes);
		bytes[bytes.length >> 1]! ^= 1;
		writeFileSync(bent, bytes);
		await visit(page, '/publish/packages?card=package/logline');
		await card(page).getByRole('button', { name: 'Remove 1.0.0' }).click();
		await expect(plan(page)).toContainText('Remove the package logline 1.0.0');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages');
		await expect(page.getByRole('link', { name: 'logline', exact: true })).toHaveCount(0);
		await page.getByLabel('Package file to take in').setInputFiles(bent);
		await expect(page.getByRole('alert')).toContainText('It is refused');
		await page.getByLabel('Package file to take in').setInputFiles(good);
		await expect(plan(page)).toContainText('Take in the package logline 1.0.0');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages');
		await expect(page.getByRole('link', { name: 'logline', exact: true })).toBeVisible();
	});

	test('another system is vouched for from its card, with the reason on record', async ({ page }) => {
		await visit(page, '/publish/packages?card=package/logline');
		await card(page).getByRole('button', { name: 'Vouch for Meridian Desktop 11, single-user' }).click();
		await card(page).getByRole('button', { name: 'Vouch for Meridian Desktop 11, single-user' }).click();
		await expect(card(page).getByRole('alert')).toContainText('Say why: it stands on record.');
		await card(page).getByLabel('Why it fits, for the record').fill('tried on two machines of the watch');
		await card(page).getByRole('button', { name: 'Vouch for Meridian Desktop 11, single-user' }).click();
		await expect(plan(page)).toContainText('Vouch for logline 1.0.0 on Meridian Desktop 11, single-user');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages?card=package/logline');
		await expect(card(page)).toContainText('Meridian Desktop 11, single-user, by Chidi Okafor');
		await expect(card(page)).toContainText('tried on two machines of the watch');
	});

	test('inventories of a computer elsewhere are brought along, and with its folder become a package', async ({
		page
	}) => {
		const dir = test.info().outputPath('elsewhere');
		mkdirSync(join(dir, 'root/opt'), { recursive: true });
		const cli = (...args: string[]) => {
			const result = spawnSync(process.execPath, [join(process.cwd(), 'build/node/cli.js'), ...args], {
				cwd: dir,
				encoding: 'utf8',
				env: { ...process.env, NO_COLOR: undefined, FORCE_COLOR: undefined }
			});
			expect(result.status, result.stderr).toBe(0);
		};
		const system = ['--system', 'Meridian Server 24', '--users', 'multi'];
		cli('inventory', 'root', ...system, '-o', 'before.jsonl');
		mkdirSync(join(dir, 'root/opt/tide/bin'), { recursive: true });
		mkdirSync(join(dir, 'root/usr/share/applications'), { recursive: true });
		writeFileSync(join(dir, 'root/opt/tide/bin/tide'), 'tells the tide\n', { mode: 0o755 });
		writeFileSync(
			join(dir, 'root/usr/share/applications/tide.desktop'),
			'[Desktop Entry]\nType=Application\nName=Tide tables\nExec=/opt/tide/bin/tide --open=%f\nIcon=tide\n'
		);
		const icons = join(dir, 'root/usr/share/icons/hicolor/scalable/apps');
		mkdirSync(icons, { recursive: true });
		writeFileSync(join(icons, 'tide.svg'), '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 8 8"/>');
		cli('inventory', 'root', ...system, '-o', 'after.jsonl');
		expect(spawnSync('tar', ['-cf', 'folder.tar', '-C', 'root', '.'], { cwd: dir }).status).toBe(0);
		writeFileSync(join(dir, 'bad.jsonl'), `${readFileSync(join(dir, 'before.jsonl'), 'utf8')}{"file":"../up"}\n`);

		await visit(page, '/publish/packages');
		await page.getByRole('button', { name: 'Compare them' }).click();
		await expect(page.getByText('It takes an inventory before and one after.').first()).toBeVisible();
		await page.getByLabel('Name of the app').fill('Tide tables');
		await page.getByLabel(/^Inventory before/).setInputFiles(join(dir, 'bad.jsonl'));
		await page.getByLabel(/^Inventory after/).setInputFiles(join(dir, 'after.jsonl'));
		await page.getByRole('button', { name: 'Compare them' }).click();
		await expect(page.getByText(/Line \d+, column 1: the path \.\.\/up climbs/)).toBeVisible();
		await expect(page.getByLabel('Name of the app')).toHaveValue('Tide tables');
		await page.getByLabel(/^Inventory before/).setInputFiles(join(dir, 'before.jsonl'));
		await page.getByLabel(/^The folder itself/).setInputFiles(join(dir, 'folder.tar'));
		await page.getByRole('button', { name: 'Compare them' }).click();
		await expect(page.getByRole('tree', { name: 'Changes' })).toBeVisible();
		await expect(page.getByRole('checkbox', { name: /^Tide tables/ })).toBeChecked();
		await page.getByLabel('Package', { exact: true }).fill('tide');
		await page.getByRole('button', { name: 'Plan the package' }).click();
		await expect(plan(page)).toContainText('Make the package tide 1.0.0');
		expect(await follow(page)).toBe('done');
		await visit(page, '/publish/packages');
		await expect(page.getByRole('row', { name: /^tide 1\.0\.0/ })).toContainText('Tide tables');
		await accessible(page);
	});
});
