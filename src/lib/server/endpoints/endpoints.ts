import * as v from 'valibot';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { read } from '../calls/need';
import { moment, text } from '../lists/columns';
import { authorityCertificate, revocationList } from './authority';
import { revokedAt } from './certificates';

/** What others need to know whether a device is one of the estate. */
export const authorityEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/endpoint-authority',
		summary: 'The authority that issues certificates to endpoints, and what it has revoked',
		need: read('publishing'),
		work: 'long',
		answer: v.strictObject({
			subject: text,
			ends: moment,
			/** SHA-256 of the certificate. */
			fingerprint: text,
			/** PEM. */
			certificate: text,
			/** Revoked ones that have not ended. */
			revoked: v.array(v.strictObject({ number: text, at: moment, by: text })),
			/** The same as a list that it has signed (RFC 5280), PEM. */
			list: text
		}),
		async handle({ ctx }) {
			const now = ctx.clock.now();
			const revoked = revokedAt(ctx.db, now);
			const { pem, ...own } = await authorityCertificate(ctx);
			return { ...own, certificate: pem, revoked, list: await revocationList(ctx, revoked, now) };
		}
	})
];
