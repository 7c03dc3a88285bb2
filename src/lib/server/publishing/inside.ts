import { siteName } from '$lib/core/reach/targets';
import { asOf } from '../db/intervals';
import { one, type Db } from '../db';

/**
 * What a publication opens in a browser alone is called: the name of a private service, or the host of a site; null where there is none such.
 * @param reaches `service/depot`, or `site/tides.example`
 */
export function insideName(db: Db, reaches: string, at: number): string | null {
	const cut = reaches.indexOf('/');
	const [kind, id] = [reaches.slice(0, cut), reaches.slice(cut + 1)];
	if (kind === 'site') {
		const host = siteName(id);
		return host === id && !id.startsWith('*') ? host : null;
	}
	if (kind !== 'service') return null;
	return (
		one<{ name: string }>(db, `SELECT name FROM private_services WHERE id = @id AND ${asOf('private_services')}`, {
			id,
			at
		})?.name ?? null
	);
}
