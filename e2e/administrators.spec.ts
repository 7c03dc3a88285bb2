import { expect, type Page } from '@playwright/test';
import { accessible, api, commitAndFollow, passkeyStore, pick, signedIn, signIn, test, visit } from './hands';
import { BASE } from './site';

/** Administrators are held to their part: what they see and touch, what waits for another, and what they can be given. */
const plan = (page: Page) => page.getByRole('region', { name: 'Plan' });
interface Rows {
	rows: Record<string, string>[];
	total: number;
}

test('the helpdesk of Halifax can neither see nor touch Hobart', async ({ page }) => {
	const owner = await signedIn('owner');
	const [far] = ((await api(owner, 'get', '/people?scope=site:hobart&limit=1')) as Rows).rows;
	const [machine] = ((await api(owner, 'get', '/machines?scope=site:hobart&limit=1')) as Rows).rows;
	const near = (await api(owner, 'get', '/people?scope=site:halifax&limit=1')) as Rows;

	await signIn(page, 'halifax');
	await visit(page, '/');
	await expect(page.getByRole('link', { name: /Marit Ryan · helpdesk\s+in Halifax/ })).toBeVisible();
	await accessible(page);
	// What the whole estate says of Halifax is all that there is for them.
	expect(((await api(page.request, 'get', '/people?limit=1')) as Rows).total).toBe(near.total);
	await visit(page, `/?card=person/${near.rows[0]!.login}`);
	await expect(page.getByRole('complementary').getByText(near.rows[0]!.name!).first()).toBeVisible();
	await visit(page, `/watch?scope=site:hobart`);
	await expect(page.getByText('There is no site “hobart”', { exact: false }).first()).toBeVisible();
	await visit(page, `/?card=person/${far!.login}`);
	await expect(page.getByText(far!.name!)).toHaveCount(0);
	expect((await page.request.get(`/api/v1/machines/${machine!.name}`)).status()).toBe(404);
	expect(((await api(page.request, 'get', `/search?q=${encodeURIComponent(far!.name!)}`)) as Rows).rows).toEqual([]);

	const draft = (kind: string, input: unknown) =>
		page.request.post('/api/v1/plans', { data: { kind, input }, headers: { origin: BASE } });
	for (const [kind, input] of [
		['machine.restart', { machines: [machine!.name] }],
		['note.write', { about: `person/${far!.login}`, text: 'hello' }],
		['activity.look', { person: far!.login, why: 'curious' }]
	] as const) {
		const refused = await draft(kind, input);
		expect([403, 404, 422], kind).toContain(refused.status());
		expect(await refused.text(), kind).not.toContain(far!.name!);
	}
	// Nor is what is of everybody theirs.
	expect(
		await (await draft('gateway.set-port', { gateway: 'hba-gw-1', protocol: 'stream', port: 4000 })).text()
	).toContain('You are there in Halifax');
	expect(
		(await draft('note.write', { about: `person/${near.rows[0]!.login}`, text: 'rang about the printer' })).status()
	).toBe(201);
	await owner.dispose();
});

test('a change waits for a second person, who sees what has changed since; both stand in the change log', async ({
	page
}) => {
	await signIn(page, 'operator');
	await visit(page, '/secure/activity');
	await page.getByRole('textbox', { name: /^Who reached what is kept for/ }).fill('150 days');
	await page.getByRole('button', { name: 'Plan the days' }).click();
	await expect(plan(page)).toContainText('for 150 days');
	await page.getByRole('button', { name: 'Commit', exact: true }).click();
	await expect(page.getByText('It waits for the consent of another.').first()).toBeVisible();
	await visit(page, '/');
	const waits = (words: string) => page.getByRole('link', { name: words }).first();
	await waits('Keep who reached what for 150 days').click();
	await expect(page.getByText('It is your own: another has to consent to it.')).toBeVisible();
	await expect(page.getByRole('button', { name: 'Consent', exact: true })).toHaveCount(0);

	await page.context().clearCookies();
	await signIn(page, 'owner');
	await visit(page, '/');
	await waits('Keep who reached what for 150 days').click();
	const consent = page.getByRole('region', { name: 'Consent' });
	await expect(consent).toContainText('asked by Ines Haugland');
	await expect(consent).toContainText('Nothing has changed: it does what it did then.');
	await accessible(page);
	await consent.getByRole('button', { name: 'Consent', exact: true }).click();
	await expect(page.getByText('done', { exact: true }).first()).toBeVisible();
	await visit(page, '/changes');
	await expect(page.getByRole('row').filter({ hasText: 'Keep who reached what for 150 days' }).first()).toContainText(
		'Ines Haugland, with the consent of Runa Solheim'
	);

	// Another was asked for before the day began: it is declined, with words.
	await visit(page, '/');
	await waits('Keep who reached what for 365 days').click();
	await consent.getByRole('button', { name: 'Decline' }).click();
	await consent.getByRole('button', { name: 'Decline it' }).click();
	await expect(consent.getByText('Say why: it will be read.')).toBeVisible();
	await consent.getByRole('textbox', { name: 'Why not' }).fill('Nobody needs it for so long');
	await consent.getByRole('button', { name: 'Decline it' }).click();
	await expect(page.getByText('They are told.')).toBeVisible();
	await visit(page, '/');
	await expect(page.getByText('did not consent: Nobody needs it for so long')).toBeVisible();
});

test('a role is made of rights, and given for a part until a day', async ({ page }) => {
	await signIn(page, 'owner');
	await visit(page, '/settings');
	await page.getByRole('button', { name: 'Make a role' }).click();
	const role = page.getByRole('form', { name: 'Make a role' });
	await role.getByRole('textbox', { name: 'Name' }).fill('Night desk');
	await role.getByLabel('sessions and machines').selectOption('commit');
	await role.getByRole('button', { name: 'Plan the role' }).click();
	await expect(plan(page)).toContainText('Make the role Night desk');
	expect(await commitAndFollow(page)).toBe('done');

	await visit(page, '/settings');
	await accessible(page);
	const add = page.getByRole('form', { name: 'Add an operator' });
	await add.getByRole('textbox', { name: 'Login' }).fill('nils');
	await add.getByRole('textbox', { name: 'Name', exact: true }).fill('Nils Aune');
	await add.getByLabel('Role').selectOption('Night desk');
	await pick(add, 'For', /in Hobart/, 'hobart');
	await add.getByLabel('First password').fill('tideline-at-night');
	await add.getByRole('button', { name: 'Plan the operator' }).click();
	await expect(plan(page)).toContainText('Add operator Nils Aune as Night desk in Hobart');
	expect(await commitAndFollow(page)).toBe('done');
	await visit(page, '/settings');
	await expect(page.getByRole('row', { name: /Nils Aune/ })).toContainText(/Night desk\s+in Hobart/);

	// In this role nobody acts without a second factor.
	await page.getByRole('combobox', { name: 'A second factor is asked of' }).click();
	await page.getByRole('listbox').getByRole('option', { name: 'Night desk' }).click();
	await page.keyboard.press('Escape');
	await page.getByRole('button', { name: 'Plan how operators sign in' }).click();
	await expect(plan(page)).toContainText('Set how operators sign in');
	expect(await commitAndFollow(page)).toBe('done');

	await passkeyStore(page);
	await page.context().clearCookies();
	await page.goto('/sign-in', { waitUntil: 'networkidle' });
	await page.getByLabel('Login').fill('nils');
	await page.getByLabel('Password').fill('tideline-at-night');
	await page.getByRole('button', { name: 'Sign in' }).click();
	await expect(page.getByText('Your role asks for a second factor', { exact: false })).toBeVisible();
	await visit(page, '/watch');
	await expect(page.getByText('Your role asks for a second factor', { exact: false })).toBeVisible();
	expect((await page.request.get('/api/v1/machines')).status()).toBe(403);
	// Nor does the frame around that page show anything of the estate.
	const [there] = ((await api(await signedIn('owner'), 'get', '/machines?scope=site:hobart&limit=1')) as Rows).rows;
	await visit(page, `/settings?card=machine/${there!.name}`);
	await expect(page.getByText('Your role asks for a second factor', { exact: false })).toBeVisible();
	await expect(page.getByText(there!.name!)).toHaveCount(0);
	await expect(page.getByText(/\b0 machines up of 0/).or(page.getByText('0 people in'))).toBeVisible();
	await accessible(page);
	await page.getByRole('textbox', { name: 'Name of a new one' }).fill('My key');
	await page.getByRole('button', { name: 'Add a passkey' }).click();
	await expect(page.getByRole('list', { name: 'Passkeys' })).toContainText('My key');
	await expect(page.getByRole('list', { name: 'Recovery codes' }).getByRole('listitem')).toHaveCount(10);
	await visit(page, '/watch');
	await expect(page.getByRole('link', { name: /Nils Aune · Night desk\s+in Hobart/ })).toBeVisible();
	expect((await page.request.get('/api/v1/machines?scope=site:halifax')).status()).toBe(422);

	// The next time the passkey is enough.
	await page.context().clearCookies();
	await page.goto('/sign-in', { waitUntil: 'networkidle' });
	await page.getByRole('link', { name: 'Sign in by passkey' }).click();
	await page.waitForLoadState('networkidle');
	await page.getByRole('button', { name: 'Show a passkey' }).click();
	await expect(page.getByRole('link', { name: /Nils Aune · Night desk/ })).toBeVisible();
	await visit(page, '/settings');
	const signIns = page.getByRole('list', { name: 'Sign-ins' });
	await expect(signIns).toContainText('by passkey');
	await signIns
		.getByRole('button', { name: /^End the sign-in/ })
		.first()
		.click();
	await expect(signIns.getByRole('button', { name: /^End the sign-in/ })).toHaveCount(0);
});

test('what was refused and who signed in is on record, for those alone who may read it, and leaves as signed files', async ({
	page
}) => {
	await signIn(page, 'helpdesk');
	const refused = await page.request.post('/api/v1/plans', {
		data: { kind: 'policy.set', input: { pool: 'payroll', headroomIn: 3 } },
		headers: { origin: BASE }
	});
	expect(refused.status()).toBe(403);
	expect((await page.request.get('/api/v1/record-entries')).status()).toBe(403);
	await visit(page, '/changes');
	await expect(page.getByRole('navigation', { name: 'Record' })).toHaveCount(0);

	await page.context().clearCookies();
	await signIn(page, 'auditor');
	await visit(page, '/changes');
	await page
		.getByRole('navigation', { name: 'Record' })
		.getByRole('link', { name: /^Sign-ins/ })
		.click();
	const table = page.getByRole('table', { name: 'Sign-ins, refusals and looks' });
	await expect(
		table.getByRole('row').filter({ hasText: 'Tuva Brekke' }).filter({ hasText: 'capacity policies' })
	).toHaveCount(1);
	await expect(table.getByRole('row').filter({ hasText: 'signed in' }).first()).toBeVisible();
	await accessible(page);
	const download = page.waitForEvent('download');
	await page.getByRole('link', { name: 'Write it out, signed' }).click();
	expect((await download).suggestedFilename()).toBe('sextant-record.tar');
});
