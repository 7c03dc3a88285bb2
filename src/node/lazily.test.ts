import { expect, test } from 'vitest';
import { lazily } from './lazily';

test('is made when first asked for, once for all', async () => {
	let times = 0;
	const asked = lazily(async () => ++times);
	expect(times).toBe(0);
	expect(await Promise.all([asked(), asked(), asked()])).toEqual([1, 1, 1]);
	expect(await asked()).toBe(1);
});

test('what failed is tried again by whoever asks next', async () => {
	let full = true;
	const asked = lazily(async () => {
		if (full) throw new Error('no space left on device');
		return 'made';
	});
	const told = await Promise.allSettled([asked(), asked()]);
	expect(told.map((t) => t.status)).toEqual(['rejected', 'rejected']);
	full = false;
	expect(await asked()).toBe('made');
});
