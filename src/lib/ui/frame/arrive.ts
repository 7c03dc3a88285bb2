import { goto } from '$app/navigation';
import { page } from '$app/state';
import { addressWith, type Parts } from './address';
import { surely } from './surely';

type How = Parameters<typeof goto>[1];

/** Changes some parts of the address, and is there when it resolves. */
export const arrive = (parts: Parts, how: How = {}): Promise<void> =>
	surely(
		() => page.url.href,
		new URL(addressWith(page.url, parts), page.url).href,
		(address) => goto(address, how)
	);
