import { goto } from '$app/navigation';
import { navigating, page } from '$app/state';
import { addressWith, type Parts } from './address';
import { surely } from './surely';

/** Changes some parts of the address one is at, or on the way to, and is there when it resolves; `path` leads to another view. */
export const arrive = (parts: Parts, how: Parameters<typeof goto>[1] = {}, path?: string): Promise<void> => {
	const from = navigating.to?.url ?? page.url;
	return surely(
		{
			here: () => page.url.href,
			onItsWay: () => navigating.to?.url.href ?? null,
			step: (address) => goto(address, how)
		},
		new URL(addressWith(from, parts, path), from).href
	);
};
