import { one, type Db } from '../db';
import { asOf, putAt } from '../db/intervals';
import type { Vault } from '../vault';

/** How the compute provider of a site is reached, and by whom its machines join the directory. */
export interface SiteProvider {
	/** `host:port`. */
	address: string;
	account: string;
	/** Null when it cannot be opened: the key is another one. */
	secret: string | null;
	/** The fingerprint that somebody confirmed, and who it was. */
	confirmed: string | null;
	confirmedBy: string | null;
	/** The folder for computer accounts, and the directory account that makes them. */
	folder: string;
	joinAccount: string;
	joinSecret: string | null;
	/** Machines that the site is meant for. */
	planned: number;
}

/** A secret opens only for what it was given for. */
export const providerSecret = (address: string): string => `provider ${address}`;
export const joinSecret = (folder: string): string => `directory ${folder}`;

/** How a site is reached at a moment, or null when nothing is kept for it. */
export function providerAt(db: Db, vault: Vault, site: string, at: number): SiteProvider | null {
	const r = one<{
		address: string;
		account: string;
		secret: string;
		confirmed: string | null;
		confirmed_by: string | null;
		folder: string;
		join_account: string;
		join_secret: string;
		planned: number;
	}>(db, `SELECT * FROM site_providers WHERE site_id = ? AND ${asOf('site_providers', '?')}`, [site, at, at]);
	return r
		? {
				address: r.address,
				account: r.account,
				secret: vault.open(r.secret, providerSecret(r.address)),
				confirmed: r.confirmed,
				confirmedBy: r.confirmed_by,
				folder: r.folder,
				joinAccount: r.join_account,
				joinSecret: vault.open(r.join_secret, joinSecret(r.folder)),
				planned: r.planned
			}
		: null;
}

/** Keeps how a site is reached from `now` on; secrets are sealed. */
export function writeProvider(
	db: Db,
	vault: Vault,
	site: string,
	p: SiteProvider & { secret: string; joinSecret: string },
	now: number
): void {
	putAt(
		db,
		'site_providers',
		{
			site_id: site,
			address: p.address,
			account: p.account,
			secret: vault.seal(p.secret, providerSecret(p.address)),
			confirmed: p.confirmed,
			confirmed_by: p.confirmedBy,
			folder: p.folder,
			join_account: p.joinAccount,
			join_secret: vault.seal(p.joinSecret, joinSecret(p.folder)),
			planned: p.planned
		},
		now
	);
}
