import { expect, type Browser, type Page } from '@playwright/test';
import { Secret, TOTP } from 'otpauth';
import { accessible, api, commitAndFollow, passkeyStore, signIn, step, test, visit } from './hands';

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

/** What opens a tile, whether it is open or not. */
const OPENS = /Open|Go back|Bring it here/;
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

test('a person who opens the portal fetches little, in few files; the console draws no picture before one is shown', async ({
	page,
	browser
}) => {
	const scripts = (on: Page) =>
		on.evaluate(() =>
			performance
				.getEntriesByType('resource')
				.filter((r) => r.name.endsWith('.js'))
				.map((r) => (r as PerformanceResourceTiming).decodedBodySize)
		);
	await signIn(page, 'operator');
	const { my } = await onThePhone(page, browser, 'team:software site:bergen');
	await my.reload();
	const phone = await scripts(my);
	expect(phone.length).toBeGreaterThan(5);
	expect(phone.length).toBeLessThan(25);
	expect(phone.reduce((sum, size) => sum + size, 0)).toBeLessThan(280_000);
	await visit(page, '/');
	const desk = await scripts(page);
	expect(desk.length).toBeLessThan(25);
	expect(desk.reduce((sum, size) => sum + size, 0)).toBeLessThan(600_000);
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
	await my.getByRole('link', { name: 'Signing in' }).click();
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
	await my.getByRole('link', { name: 'Set one up' }).click();
	await expect(my.getByText('To open Payroll close, set up a passkey or codes from an app.')).toBeVisible();
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
	// What it was set up for can be opened now; for the day on which the phone is gone there are codes.
	await expect(my.getByText('You can open Payroll close now.')).toBeVisible();
	const codes = await my.getByText(/^([0-9a-z]{4}-){3}[0-9a-z]{4}$/).allTextContents();
	expect(codes).toHaveLength(10);
	await my.getByRole('link', { name: 'To the shelf' }).click();
	await expect(tile(my, 'Payroll close').getByRole('button', { name: OPENS })).toBeVisible();

	// Another sign-in has not given it yet.
	await my.getByRole('button', { name: 'Sign out' }).click();
	await enterPortal(my, login);
	const payroll = tile(my, 'Payroll close');
	await payroll.getByLabel('Code from your app').fill('123456');
	await payroll.getByRole('button', { name: 'Unlock' }).click();
	await expect(payroll.getByRole('alert')).toContainText('not the code of this moment');
	await payroll.getByLabel('Code from your app').fill(now(1));
	await payroll.getByRole('button', { name: 'Unlock' }).click();
	await expect(payroll.getByRole('button', { name: OPENS })).toBeVisible();

	// The phone is gone: a code that was written down stands for it, once; and nobody changes how they sign in without.
	await my.getByRole('button', { name: 'Sign out' }).click();
	await enterPortal(my, login);
	await my.getByRole('link', { name: 'Signing in' }).click();
	await my.getByRole('button', { name: 'Make new ones' }).click();
	await expect(my.getByRole('alert').filter({ hasText: 'Give your second factor first' })).toBeVisible();
	const shows = my.getByRole('region', { name: 'Show that it is you' });
	await shows.getByLabel(/^Code from your app/).fill(codes[3]!.toUpperCase());
	await shows.getByRole('button', { name: 'Unlock' }).click();
	await expect(my.getByText('9 are left.')).toBeVisible();
	await my.getByRole('link', { name: 'Shelf', exact: true }).click();
	await payroll.getByRole('button', { name: OPENS }).click();
	await my.waitForURL(/\/my\/desk\/\d+/);
	await my.context().close();
});

test('a passkey signs in without a password, unlocks what asks for more, and is gone when it is removed', async ({
	page,
	browser
}) => {
	await signIn(page, 'operator');
	const { my } = await onThePhone(page, browser, 'team:finance site:halifax');
	const { devices, authenticatorId } = await passkeyStore(my);
	const asksForMore = tile(my, 'Payroll close');
	await expect(asksForMore).toContainText('Asks for your second factor');
	await asksForMore.getByRole('link', { name: 'Set one up' }).click();
	const name = my.getByRole('region', { name: 'Passkeys' }).getByLabel('What to call it').last();
	await name.fill('');
	await my.getByRole('button', { name: 'Add a passkey' }).click();
	await expect(my.getByText('Write a name of 1 to 60 characters.')).toBeVisible();
	await name.fill('My phone');
	await my.getByRole('button', { name: 'Add a passkey' }).click();
	await expect(my.getByText('The passkey My phone is yours from now on.')).toBeVisible();
	await expect(my.getByRole('heading', { name: 'My phone' })).toBeVisible();
	await accessible(my);
	await my.getByRole('link', { name: 'To the shelf' }).click();
	await expect(asksForMore.getByRole('button', { name: OPENS })).toBeVisible();

	// It stands for the password, and for the second factor as well.
	await my.getByRole('button', { name: 'Sign out' }).click();
	await my.getByRole('link', { name: 'Sign in with a passkey' }).click();
	await accessible(my);
	await my.getByRole('button', { name: 'Use a passkey' }).click();
	await expect(my.getByRole('heading', { name: /^Hello/ })).toBeVisible();
	await expect(asksForMore.getByRole('button', { name: OPENS })).toBeVisible();

	// Its person does not unlock it: nobody comes in, and the page says what to do.
	await my.getByRole('button', { name: 'Sign out' }).click();
	await devices.send('WebAuthn.setUserVerified', { authenticatorId, isUserVerified: false });
	await my.getByRole('link', { name: 'Sign in with a passkey' }).click();
	await my.getByRole('button', { name: 'Use a passkey' }).click();
	await expect(my.getByRole('alert')).toHaveText('No passkey was shown. Try again.');
	await devices.send('WebAuthn.setUserVerified', { authenticatorId, isUserVerified: true });
	await my.getByRole('button', { name: 'Use a passkey' }).click();
	await expect(my.getByRole('heading', { name: /^Hello/ })).toBeVisible();

	await my.getByRole('link', { name: 'Signing in' }).click();
	await my.getByRole('button', { name: 'Remove My phone' }).click();
	await expect(my.getByText('The passkey My phone is gone.')).toBeVisible();
	await my.getByRole('button', { name: 'Sign out' }).click();
	await my.getByRole('link', { name: 'Sign in with a passkey' }).click();
	await my.getByRole('button', { name: 'Use a passkey' }).click();
	await expect(my.getByRole('alert')).toContainText('This passkey is not known here.');
	await my.context().close();
});

test('a device that somebody calls their own stays signed in, where policy lets it', async ({ page, browser }) => {
	await signIn(page, 'operator');
	await visit(page, '/settings');
	await page.getByLabel('Signed in on own devices').fill('14 days');
	await page.getByRole('button', { name: 'Plan how people sign in' }).click();
	await expect(page.getByRole('region', { name: 'Plan' })).toContainText('staying signed in for 14 days');
	expect(await commitAndFollow(page)).toBe('done');
	const { rows } = (await api(page.request, 'get', '/people?scope=team:software%20site:hobart&limit=1')) as {
		rows: { login: string }[];
	};
	const context = await browser.newContext({ viewport: { width: 390, height: 844 } });
	const my = await context.newPage();
	await my.goto('/my/sign-in');
	await my.getByLabel('Login').fill(rows[0]!.login);
	await my.getByLabel('Password').fill('wrong');
	await my.getByLabel(/^This device is mine/).check();
	await my.getByRole('button', { name: 'Sign in' }).click();
	await expect(my.getByText('Login or password is wrong.')).toBeVisible();
	await expect(my.getByLabel(/^This device is mine/)).toBeChecked();
	await my.getByLabel('Password').fill('tideline');
	await my.getByRole('button', { name: 'Sign in' }).click();
	await expect(my.getByRole('heading', { name: /^Hello/ })).toBeVisible();
	// Closed and opened again, it is still signed in.
	const kept = (await context.cookies()).find((c) => c.name === 'sextant-my')!;
	expect((kept.expires - Date.now() / 1000) / 86_400).toBeGreaterThan(14);
	await context.close();
});

test('the portal speaks the language of the browser, or the one that is chosen', async ({ page, browser }) => {
	await signIn(page, 'operator');
	const { rows } = (await api(page.request, 'get', '/people?scope=team:software%20site:bergen&limit=2')) as {
		rows: { login: string }[];
	};
	const context = await browser.newContext({ viewport: { width: 390, height: 844 }, locale: 'nb-NO' });
	const my = await context.newPage();
	await my.goto('/my/sign-in');
	await expect(my.locator('html')).toHaveAttribute('lang', 'nb');
	await my.getByLabel('Brukernavn').fill(rows[1]!.login);
	await my.getByLabel('Passord').fill('feil');
	await my.getByRole('button', { name: 'Logg inn' }).click();
	await expect(my.getByText('Brukernavn eller passord er feil.')).toBeVisible();
	await my.getByLabel('Passord').fill('tideline');
	await my.getByRole('button', { name: 'Logg inn' }).click();
	await expect(my.getByRole('heading', { name: /^Hei, / })).toBeVisible();
	await accessible(my);
	for (const [link, head] of [
		['Enheter', 'Maskinene og enhetene dine'],
		['Innlogging', 'Hvordan du logger inn']
	] as const) {
		await my.getByRole('link', { name: link }).click();
		await expect(my.getByRole('heading', { name: head })).toBeVisible();
		await accessible(my);
		expect(await my.evaluate(() => document.documentElement.scrollWidth <= innerWidth)).toBe(true);
	}
	await my.getByRole('button', { name: 'Français' }).click();
	await expect(my.getByRole('heading', { name: 'Comment vous vous connectez' })).toBeVisible();
	await expect(my.locator('html')).toHaveAttribute('lang', 'fr');
	await context.close();
});

test('somebody keeps what is theirs: what passes through, names, and a machine that does not answer', async ({
	page,
	browser
}) => {
	await signIn(page, 'operator');
	const { rows } = (await api(page.request, 'get', '/machines?scope=pool:processing&limit=100')) as {
		rows: { name: string; owner: string | null }[];
	};
	const { name, owner } = rows.find((m) => m.owner !== null)!;
	const found = (await api(page.request, 'get', `/people?scope="${encodeURIComponent(owner!)}"&limit=1`)) as {
		rows: { login: string }[];
	};
	const my = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
	await enterPortal(my, found.rows[0]!.login);

	// What passes through is asked once, at the first opening, and changed any time.
	await tile(my, 'My processing machine').getByRole('button', { name: OPENS }).first().click();
	const ask = my.getByRole('form', { name: 'May My processing machine use what is on your device?' });
	await expect(ask).toBeVisible({ timeout: 240_000 });
	await accessible(my);
	await ask.getByLabel('Drives').uncheck();
	await ask.getByRole('button', { name: 'Let it be so' }).click();
	await expect(ask).toHaveCount(0);
	await expect(my.getByText(/^passes through/)).not.toContainText('Drives');
	// A watermark comes while the desk is open.
	const across = my.getByText(/ · (Mon|Tue|Wed|Thu|Fri|Sat|Sun) /).first();
	await expect(across).toHaveCount(0);
	const mark = (await api(page.request, 'post', '/plans', {
		kind: 'settings.set',
		input: {
			name: 'Watermark',
			values: { 'displays.name-across': true },
			assigned: [`person/${found.rows[0]!.login}`]
		}
	})) as { id: number };
	await api(page.request, 'post', `/plans/${mark.id}/commit`);
	await expect(across).toBeVisible();
	await my.goto('/my/devices');
	await expect(my.getByLabel(/^Drives/)).not.toBeChecked();
	await expect(my.getByText(/Not on .*: the grant does not allow it\./).first()).toBeVisible();
	await my.getByLabel(/^Drives/).check();
	await my.getByRole('button', { name: 'Let it be so' }).last().click();
	await expect(my.getByText('From the next opening on it is so.')).toBeVisible();
	await expect(my.getByLabel(/^Drives/)).toBeChecked();

	// A name of their own; too long a one is refused beside it, and stays.
	const machines = my.getByRole('region', { name: 'Your machines' });
	const called = (words: string) => machines.getByRole('listitem').filter({ hasText: words });
	await called(name).getByText('Rename').click();
	await called(name).getByLabel(`Name of ${name}`).fill('x'.repeat(61));
	await called(name).getByRole('button', { name: 'Let it be so' }).click();
	await expect(called(name).getByRole('alert')).toContainText('1 to 60 characters');
	await called(name).getByLabel(`Name of ${name}`).fill('Sounding board');
	await called(name).getByRole('button', { name: 'Let it be so' }).click();
	await expect(machines.getByRole('heading', { name: 'Sounding board' })).toBeVisible();

	// It stops answering: what is wrong stands there in plain words, and they mend it themselves.
	await api(page.request, 'post', '/lab/faults', { kind: 'agent-stopped', target: name });
	await expect(async () => {
		await my.reload();
		await expect(called('Sounding board')).toContainText('It does not answer.', { timeout: 1500 });
	}).toPass();
	await accessible(my);
	await called('Sounding board')
		.getByRole('button', { name: /^Put it right/ })
		.click();
	await expect(called('Sounding board')).toContainText(/Sounding board is being put right|Sextant is working on it/);
	await expect(async () => {
		await my.reload();
		await expect(called('Sounding board')).toContainText(/Ready|In use/, { timeout: 1500 });
	}).toPass();
	await visit(page, '/changes');
	await expect(page.getByText(new RegExp(`Put ${name} right for`)).first()).toBeVisible();
	await my.context().close();
});

test('a device with nothing but a browser: a contractor sees the tide archive as a picture alone, is refused the depth store in words, and leaves', async ({
	page,
	browser
}) => {
	await signIn(page, 'operator');
	const carryOut = async (kind: string, input: unknown) => {
		const plan = (await api(page.request, 'post', '/plans', { kind, input })) as { id: number };
		await api(page.request, 'post', `/plans/${plan.id}/commit`);
		const { jobId } = (await api(page.request, 'get', `/plans/${plan.id}`)) as { jobId: number };
		await expect
			.poll(async () => ((await api(page.request, 'get', `/jobs/${jobId}`)) as { state: string }).state)
			.toBe('done');
	};
	const pim = { login: 'pmoor', name: 'Pim Moor', site: 'bergen', team: 'contractors' };
	await carryOut('people.put', { people: [pim] });
	// The account of whoever is kept here is made within a minute.
	await step(page.request, 120);
	const my = await (await browser.newContext({ viewport: { width: 390, height: 844 } })).newPage();
	await enterPortal(my, 'pmoor');
	await tile(my, 'Tide archive').getByRole('button', { name: OPENS }).click();
	await my.waitForURL(/\/my\/inside\//);
	const picture = my.getByRole('img', { name: 'Tide archive, as a picture' });
	await expect(picture).toBeVisible();
	await expect(my.getByText('As a picture alone: nothing is taken in or out.')).toBeVisible();
	await accessible(my);
	expect(await my.evaluate(() => document.documentElement.scrollWidth <= innerWidth)).toBe(true);

	await visit(page, '/publish?make=publication');
	await page.getByLabel('Opens').selectOption('service/depth-store');
	await expect(page.getByLabel('Name for people')).toHaveValue('Depth store');
	await expect(page.getByText('Served by, in this order')).toHaveCount(0);
	await page.getByRole('button', { name: 'Plan the publication' }).click();
	await commitAndFollow(page);
	await carryOut('grant.add', {
		publication: 'depth-store-in-a-browser',
		person: 'pmoor',
		channels: [],
		kind: 'required'
	});
	await my.goto('/my');
	await tile(my, 'Depth store').getByRole('button', { name: OPENS }).click();
	await expect(my.getByRole('heading', { name: 'Depth store is not open to you right now' })).toBeVisible();
	await expect(my.getByText('No rule lets you in.')).toBeVisible();
	await accessible(my);

	// Whoever has left reaches nothing from that moment on, in what is open too.
	await my.goto('/my/inside/tides-inside');
	await expect(picture).toBeVisible();
	await carryOut('people.put', { people: [{ ...pim, ends: '2026-11-16' }] });
	await my.getByRole('button', { name: 'Look again' }).click();
	await expect(picture).toHaveCount(0);
	await my.context().close();
});
