import AxeBuilder from '@axe-core/playwright';
import {
	test as base,
	expect,
	request as newRequest,
	type APIRequestContext,
	type BrowserContext,
	type Locator,
	type Page,
	type Response
} from '@playwright/test';
import { BASE } from './site';

/**
 * Tests with one browser between them: what it has fetched and compiled once serves those that follow, as it does a person's. Each begins
 * with an empty page, no cookies and nothing stored.
 */
export const test = base.extend<object, { browsers: Map<string, BrowserContext> }>({
	browsers: [
		// eslint-disable-next-line no-empty-pattern -- what it needs of others has to be written so
		async ({}, use) => {
			const browsers = new Map<string, BrowserContext>();
			await use(browsers);
			for (const b of browsers.values()) await b.close();
		},
		{ scope: 'worker' }
	],
	context: async ({ browser, browsers, baseURL }, use) => {
		const address = baseURL ?? BASE;
		let context = browsers.get(address);
		if (!context) browsers.set(address, (context = await browser.newContext()));
		await use(context);
		await context.unrouteAll({ behavior: 'ignoreErrors' });
		await context.clearCookies();
		await context.clearPermissions();
		const [first, ...others] = context.pages();
		if (first) await forgetStored(first, address);
		for (const page of [first, ...others]) await page?.close();
	}
});

/** Nothing of what pages have stored is there any more; what was fetched stays. */
async function forgetStored(page: Page, origin: string): Promise<void> {
	const devices = await page.context().newCDPSession(page);
	await devices.send('Storage.clearDataForOrigin', {
		origin,
		storageTypes: 'local_storage,indexeddb,cache_storage,service_workers'
	});
}

/** What a browser was given at a sign-in, by login: tests go on with it as a person does who comes back the same day. */
const signedInAs = new Map<string, Awaited<ReturnType<BrowserContext['cookies']>>>();

/** Signs an operator in: through the page at first, `anew`, and where what it gave does not count any more. Views are visited after it. */
export async function signIn(page: Page, login: string, anew = false): Promise<void> {
	const kept = anew ? undefined : signedInAs.get(login);
	if (kept) {
		await page.context().addCookies(kept);
		if ((await page.request.get('/api/v1/lab/clock')).ok()) return;
	}
	const stages = page.getByRole('navigation', { name: 'Stages' });
	await page.goto('/sign-in');
	await page.getByLabel('Login').fill(login);
	await page.getByLabel('Password').fill('tideline');
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(stages).toBeVisible();
	signedInAs.set(login, await page.context().cookies());
	await ready(page);
}

/** Waits until the page answers to keys and presses. */
export async function ready(page: Page): Promise<void> {
	await expect(page.locator('html[data-ready="yes"]')).toHaveCount(1);
}

/** Goes to a view and waits until it answers. */
export async function visit(page: Page, path: string): Promise<void> {
	await page.goto(path);
	await ready(page);
}

/** No violation that axe can find, in the whole page. What passes is not written down, and there are no frames to gather from. */
export async function accessible(page: Page): Promise<void> {
	const { violations } = await new AxeBuilder({ page })
		.options({ resultTypes: ['violations'] })
		.setLegacyMode()
		.analyze();
	expect(
		violations.map(
			(v) =>
				`${v.id}: ${v.help} — ${v.nodes
					.slice(0, 3)
					.map((n) => n.html.slice(0, 140))
					.join(' | ')}`
		)
	).toEqual([]);
}

/** Opens the review of the plan in the tray, where it has not opened by itself. */
export async function openReview(page: Page): Promise<void> {
	const button = page.getByRole('region', { name: 'Plan' }).getByRole('button', { name: 'Review' });
	if ((await button.getAttribute('aria-expanded')) === 'false') await button.click();
	await expect(button).toHaveAttribute('aria-expanded', 'true');
}

async function pressCommit(page: Page): Promise<Response> {
	const committed = page.waitForResponse((r) => /\/plans\/\d+\/commit$/.test(new URL(r.url()).pathname));
	await page.getByRole('button', { name: 'Commit' }).click();
	return committed;
}

/** How quickly the lab's clock goes where nothing else is said, seconds in one. */
const PACE = 60;

/** While something is waited for, the lab's clock goes at another pace: at that pace people would not be quick enough for their pages. */
export async function atPace<T>(page: Page, pace: number, wait: () => Promise<T>): Promise<T> {
	await api(page.request, 'post', '/lab/clock', { speed: pace, paused: false });
	try {
		return await wait();
	} finally {
		await api(page.request, 'post', '/lab/clock', { speed: PACE });
	}
}

/** Commits the plan in the tray, follows it to its job and waits until that has ended, at a pace. Returns the state shown. */
export async function commitAndFollow(page: Page, pace?: number): Promise<string> {
	let answer = await pressCommit(page);
	// The estate is alive: what has changed since is looked at and worked out anew, as a person does.
	for (let i = 0; i < 2 && answer.status() === 409; i++) {
		const again = page.getByRole('button', { name: 'Recompute' });
		await again.click();
		await expect(again).toHaveCount(0);
		answer = await pressCommit(page);
	}
	expect(answer.ok(), `commit: ${answer.status()} ${answer.ok() ? '' : await answer.text()}`).toBe(true);
	const { job } = (await answer.json()) as { job: number };
	return pace === undefined ? ended(page, job) : atPace(page, pace, () => ended(page, job));
}

async function ended(page: Page, job: number): Promise<string> {
	// Whoever is not quick enough for the button goes to the job by itself.
	await page
		.getByRole('button', { name: `Job ${job}`, exact: true })
		.click({ timeout: 6000 })
		.catch(() => page.goto(`/jobs/${job}`));
	await page.waitForURL(/\/jobs\/\d+/);
	const status = page.getByRole('status').first();
	await expect(status).toContainText(/^\s*(done|failed|cancelled)/, { timeout: 300_000 });
	return /done|failed|cancelled/.exec((await status.textContent()) ?? '')![0];
}

/** The API as somebody who has signed in calls it; the visitor through the portal. */
export async function signedIn(login: string): Promise<APIRequestContext> {
	const context = await newRequest.newContext({ baseURL: BASE, extraHTTPHeaders: { origin: BASE } });
	const portal = login === 'alindqvist';
	const response = await context.post(portal ? '/my/sign-in' : '/sign-in', {
		form: { login, password: 'tideline' },
		maxRedirects: 0
	});
	expect([200, 303]).toContain(response.status());
	return context;
}

/** Calls the API as the signed-in page does: its cookie, from its own origin. */
export async function api(
	request: APIRequestContext,
	method: 'get' | 'post' | 'delete',
	path: string,
	data?: unknown
): Promise<unknown> {
	const response = await request[method](`/api/v1${path}`, { data, headers: { origin: BASE } });
	expect(response.ok(), `${method} ${path}: ${response.status()} ${response.ok() ? '' : await response.text()}`).toBe(
		true
	);
	return response.status() === 204 || response.status() === 202 ? null : await response.json();
}

/** Moves the lab's clock on by seconds. */
export const step = (request: APIRequestContext, seconds: number): Promise<unknown> =>
	api(request, 'post', '/lab/clock', { step: seconds });

/** Picks one of many by its search: types the name, and takes what is offered under it. */
export async function pick(
	page: Page | Locator,
	label: string | RegExp,
	name: string | RegExp,
	typed?: string
): Promise<void> {
	const field = page.getByRole('combobox', { name: label });
	await field.click();
	await field.fill(typed ?? String(name));
	await page.getByRole('option', { name, exact: typeof name === 'string' }).click();
	await expect(page.getByRole('listbox')).toHaveCount(0);
}

/** Gives a browser a device with a passkey store of its own, which its person unlocks. */
export async function passkeyStore(page: Page) {
	const devices = await page.context().newCDPSession(page);
	await devices.send('WebAuthn.enable');
	const { authenticatorId } = await devices.send('WebAuthn.addVirtualAuthenticator', {
		options: {
			protocol: 'ctap2',
			transport: 'internal',
			hasResidentKey: true,
			hasUserVerification: true,
			isUserVerified: true,
			automaticPresenceSimulation: true
		}
	});
	return { devices, authenticatorId };
}
