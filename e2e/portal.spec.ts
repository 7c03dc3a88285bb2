import { expect, test, type Browser, type Page } from '@playwright/test';
import { Secret, TOTP } from 'otpauth';
import { accessible, api, signIn } from './hands';

/** Somebody of a team at a site, signed in to the portal on a phone. */
async function onThePhone(page: Page, browser: Browser, scope: string): Promise<{ my: Page; login: string }> {
	const { rows } = (await api(page.request, 'get', `/people?scope=${scope}&limit=1`)) as { rows: { login: string }[] };
	const { login } = rows[0]!;
	const my = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
	await enterPortal(my, login);
	return { my, login };
}

async function enterPortal(my: Page, login: string): Promise<void> {
	await my.goto('/my/sign-in');
	await my.getByLabel('Login').fill(login);
	await my.getByLabel('Password').fill('tideline');
	await my.getByRole('button', { name: 'Sign in' }).click();
	await expect(my.getByRole('heading', { name: /^Hello/ })).toBeVisible();
}

const tile = (my: Page, name: string) => my.getByRole('listitem').filter({ hasText: name });

test('a person who may not open something is told why and what to do, in their own words', async ({
	page,
	browser
}) => {
	await signIn(page, 'operator');
	const { my, login } = await onThePhone(page, browser, 'team:software site:bergen');
	const plan = (await api(page.request, 'post', '/plans', {
		kind: 'grant.add',
		input: { publication: 'watch-desk', person: login, conditions: { networks: ['192.0.2.0/24'] } }
	})) as { id: number };
	await api(page.request, 'post', `/plans/${plan.id}/commit`);
	await expect(async () => {
		await my.reload();
		await expect(tile(my, 'Watch Desk')).toContainText('Not right now');
	}).toPass();
	await expect(tile(my, 'Watch Desk')).toContainText(/network/);
	await expect(tile(my, 'Watch Desk').getByRole('button')).toHaveCount(0);
	expect(await my.evaluate(() => document.documentElement.scrollWidth <= innerWidth)).toBe(true);
	await my.context().close();
});

test('what is typed into a sign-in before all of its page has come stays there', async ({ browser }) => {
	const slow = await (await browser.newContext()).newPage();
	for (const path of ['/my/sign-in', '/sign-in']) {
		let come = () => {};
		const late = new Promise<void>((r) => (come = r));
		await slow.route(/\.js$/, async (route) => {
			await late;
			await route.continue();
		});
		await slow.goto(path, { waitUntil: 'commit' });
		await slow.getByLabel('Login').fill('somebody');
		come();
		await slow.waitForLoadState('networkidle');
		await expect(slow.getByLabel('Login')).toHaveValue('somebody');
		await slow.unrouteAll();
	}
	await slow.context().close();
});

test('a person changes their password: what is wrong stands beside its field, and the old one lets nobody in', async ({
	page,
	browser
}) => {
	await signIn(page, 'operator');
	const { my, login } = await onThePhone(page, browser, 'team:software site:halifax');
	const [before, next] = [my.getByLabel('The one that you have'), my.getByLabel('The new one')];
	const change = async (now: string, to: string) => {
		await before.fill(now);
		await next.fill(to);
		await my.getByRole('button', { name: 'Change it' }).click();
	};
	await change('tideline', 'short');
	await expect(next).toHaveAccessibleDescription(/^From 10 to 200 characters/);
	await expect(before).not.toHaveAccessibleDescription(/./);
	await change('not the one', 'a longer password');
	await expect(before).toHaveAccessibleDescription(/not the password that you have/);
	await change('tideline', 'a longer password');
	await expect(my.getByText('Your password is changed.')).toBeVisible();
	const other = await (await browser.newContext()).newPage();
	await other.goto('/my/sign-in');
	await other.getByLabel('Login').fill(login);
	for (const [password, says] of [
		['tideline', /wrong/],
		['a longer password', /^Hello/]
	] as const) {
		await other.getByLabel('Password').fill(password);
		await other.getByRole('button', { name: 'Sign in' }).click();
		await expect(other.getByText(says).first()).toBeVisible();
	}
});

test('a person sets up a second factor, and opens with a code what asks for it', async ({ page, browser }) => {
	await signIn(page, 'operator');
	const { my, login } = await onThePhone(page, browser, 'team:finance site:bergen');
	await expect(tile(my, 'Payroll close')).toContainText('Asks for your second factor');
	await expect(tile(my, 'Payroll close').getByRole('button')).toHaveCount(0);
	await my.getByRole('link', { name: 'Set one up below' }).click();
	await my.getByRole('button', { name: 'Set it up' }).click();
	const secret = await my.getByText(/^[A-Z2-7]{32}$/).textContent();
	const code = (ahead: number) =>
		new TOTP({ secret: Secret.fromBase32(secret!.trim()) }).generate({ timestamp: Date.now() + ahead * 30_000 });
	await accessible(my);

	await my.getByLabel('Code that the app shows').fill('000000');
	await my.getByRole('button', { name: 'Switch it on' }).click();
	await expect(my.getByRole('alert')).toContainText('not the code of this moment');
	await my.getByRole('button', { name: 'Set it up' }).click();
	const again = await my.getByText(/^[A-Z2-7]{32}$/).textContent();
	const now = (ahead: number) =>
		new TOTP({ secret: Secret.fromBase32(again!.trim()) }).generate({ timestamp: Date.now() + ahead * 30_000 });
	expect(code(0)).not.toBe(now(0));
	await my.getByLabel('Code that the app shows').fill(now(0));
	await my.getByRole('button', { name: 'Switch it on' }).click();
	await expect(my.getByText('Your second factor is on.')).toBeVisible();
	await expect(tile(my, 'Payroll close').getByRole('button', { name: /Open|Go back/ })).toBeVisible();

	// Another sign-in has not given it yet.
	await my.getByRole('button', { name: 'Sign out' }).click();
	await enterPortal(my, login);
	const payroll = tile(my, 'Payroll close');
	await payroll.getByLabel('Code from your app').fill('123456');
	await payroll.getByRole('button', { name: 'Unlock' }).click();
	await expect(payroll.getByRole('alert')).toContainText('not the code of this moment');
	await payroll.getByLabel('Code from your app').fill(now(1));
	await payroll.getByRole('button', { name: 'Unlock' }).click();
	await payroll.getByRole('button', { name: /Open|Go back/ }).click();
	await my.waitForURL(/\/my\/desk\/\d+/);
	await my.context().close();
});
