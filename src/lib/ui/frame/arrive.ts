import { goto } from '$app/navigation';
import { navigating, page } from '$app/state';
import { addressWith, type Parts } from './address';
import { surely } from './surely';

/** Changes some parts of the address, and is there when it resolves. */
export const arrive = (parts: Parts, how: Parameters<typeof goto>[1] = {}): Promise<void> =>
	surely(
		{
			here: () => page.url.href,
			onItsWay: () => navigating.to?.url.href ?? null,
			step: (address) => goto(address, how)
		},
		new URL(addressWith(page.url, parts), page.url).href
	);
