import * as v from 'valibot';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { draft, read } from '../calls/need';
import { one } from '../db';
import { NotFound } from '../plans';
import { moment, text } from '../lists/columns';
import { authorityCertificate, revocationList } from './authority';
import { revokedAt } from './certificates';
import { mayLook, screenOf } from './looking';

/** What a device shows to whoever was let look; what others need to know whether a device is one of the estate. */
export const deviceEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/endpoint-screens/{id}',
		summary: 'What an endpoint shows on its screen now, to whoever was let look by whoever is on it',
		need: draft('publishing'),
		params: { id: v.pipe(v.string(), v.regex(/^\d{1,15}$/, 'Write the number of an endpoint.')) },
		answer: { file: 'image/svg+xml' },
		async handle({ ctx, params, caller, noteLook }) {
			const id = Number(params.id);
			if (caller?.kind !== 'operator' || !mayLook(ctx.db, id, caller.id, ctx.clock.now()))
				throw new NotFound('screen that you may look at: whoever is on the endpoint is asked first');
			const device = one<{ serial: string }>(ctx.db, 'SELECT serial FROM endpoints WHERE id = ?', [id]);
			noteLook(`looked at the screen of endpoint ${device?.serial ?? id}`);
			return new Response(await screenOf(ctx, id), {
				headers: { 'content-type': 'image/svg+xml; charset=utf-8', 'cache-control': 'no-store' }
			});
		}
	}),
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
