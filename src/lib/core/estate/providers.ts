import type { Estate } from './schema';

/** The directory account that may make computer accounts in the lab, and the secret of every account in it that is no person’s. */
export const LAB_ACCOUNT = 'svc-join';
export const LAB_SECRET = 'tideline';

/** Where the compute provider of a site answers, `host:port`. */
export const providerAddress = (estate: Pick<Estate, 'domain'>, site: Estate['sites'][number]): string =>
	site.provider.address ?? `compute.${site.id}.${estate.domain}:8443`;
