import { afterEach, beforeEach, describe, expect, test, vi } from 'vitest';
import { call, refusalWords } from './api';

const fetched = vi.fn<typeof fetch>();
beforeEach(() => vi.stubGlobal('fetch', fetched));
afterEach(() => {
	vi.unstubAllGlobals();
	fetched.mockReset();
});
const says = (status: number, body: unknown, type = 'application/json') =>
	fetched.mockResolvedValue(
		new Response(status === 204 ? null : typeof body === 'string' ? body : JSON.stringify(body), {
			status,
			headers: { 'content-type': type }
		})
	);

describe('a call of the page', () => {
	test('goes to the API as JSON', async () => {
		says(201, { id: 7 });
		expect(await call('POST', '/plans', { kind: 'policy.set' })).toEqual({ ok: true, value: { id: 7 } });
		expect(fetched).toHaveBeenCalledWith('/api/v1/plans', {
			method: 'POST',
			headers: { 'content-type': 'application/json' },
			body: '{"kind":"policy.set"}'
		});
		await call('GET', '/jobs/1');
		expect(fetched.mock.calls[1]![1]).not.toHaveProperty('body');
	});
	test('without an answer’s body has none', async () => {
		says(204, null);
		expect(await call('DELETE', '/lab/faults/1')).toEqual({ ok: true, value: null });
	});
	test('that is refused brings title, detail, fields and reasons', async () => {
		says(422, {
			title: 'The input is not right',
			detail: 'At least 1.',
			advice: 'Put it right.',
			errors: [{ field: 'count', words: 'At least 1.' }]
		});
		expect(await call('POST', '/plans', {})).toEqual({
			ok: false,
			refusal: {
				title: 'The input is not right',
				detail: 'At least 1.',
				advice: 'Put it right.',
				errors: [{ field: 'count', words: 'At least 1.' }],
				reasons: []
			}
		});
	});
	test('answered by something that is no problem document still says that it failed', async () => {
		says(502, '<html>Bad gateway</html>', 'text/html');
		expect(await call('GET', '/jobs/1')).toMatchObject({
			ok: false,
			refusal: { title: 'It did not work', detail: 'The server gave no reason.', errors: [], reasons: [] }
		});
	});
	test('that finds no server says that nothing was changed', async () => {
		fetched.mockRejectedValue(new TypeError('Failed to fetch'));
		expect(await call('POST', '/plans', {})).toMatchObject({
			ok: false,
			refusal: { title: 'The server does not answer', detail: expect.stringMatching(/Nothing was changed/) as string }
		});
	});
});

test.each([
	['There is no pool called x.', 'Look at the list.', 'There is no pool called x. Look at the list.'],
	['the link is down', 'Try again.', 'the link is down. Try again.'],
	['Nothing was changed. Try again.', 'Try again.', 'Nothing was changed. Try again.'],
	['It is so.', '', 'It is so.']
])('what is said of %j, with %j', (detail, advice, words) => expect(refusalWords({ detail, advice })).toBe(words));
