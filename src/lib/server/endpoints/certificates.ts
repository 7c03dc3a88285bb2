import { RENEWED_WITHIN, requestProblem, type CertificateState } from '$lib/core/endpoints/proof';
import { FOREVER, MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, type Db } from '../db';
import { closeAt, putAt, rowAt } from '../db/intervals';
import { insertRow } from '../db/rows';
import { SEXTANT } from '../moment/endpoint-sql';
import { logOf } from '../log';
import { ProviderError } from '../providers';
import { authorityCertificate, issue, readRequest, type Issued } from './authority';

/** How a certificate `c` stands at a moment, with what revoked it as `r`, as SQL. */
export const CERTIFICATE_STATE = `CASE WHEN r.at IS NOT NULL THEN 'revoked' WHEN c.until <= @at THEN 'renewed' WHEN c.ends <= @at THEN 'ended' ELSE 'good' END`;

/** Devices that are asked for their request in one round: what is left has its turn in the next. */
const AT_ONCE = 500;
/** One that did not answer, or that something was wrong with, is asked again after this long: it keeps nobody from their turn. */
const AGAIN = 30 * MINUTE;
/** When those were asked that got none. */
const tried = new WeakMap<Db, Map<number, number>>();

interface Due {
	id: number;
	serial: string;
	key: string;
	/** Certificates that it has had. */
	had: number;
}

/** What a device that was due has asked for: its certificate, why it is given none, or nothing that could be made of it. */
type Asked = { device: Due } & ({ issued: Issued } | { refused: string } | { silent: true });

/** What goes wrong with one device keeps the others from nothing: it is said where nobody has foreseen it. */
async function apart<T>(device: Due, work: () => Promise<T>): Promise<T | null> {
	try {
		return await work();
	} catch (e) {
		if (!(e instanceof ProviderError))
			logOf('endpoints').warn({ serial: device.serial, err: e }, 'no certificate could be made');
		return null;
	}
}

const ask = async (ctx: Context, device: Due, now: number): Promise<Asked> =>
	(await apart(device, async (): Promise<Asked> => {
		const request = await readRequest(await ctx.providers.endpoints.request(device.serial, device.key));
		const refused = requestProblem(device, request);
		if (refused !== null) return { device, refused };
		return { device, issued: await issue(ctx, device, request!.spki, device.had + 1, now) };
	})) ?? { device, silent: true };

/** Writes down what devices are about to be given, before they are: nothing is out there that cannot be revoked. Answers with those that it holds of. */
function record(db: Db, asked: readonly Asked[], authority: string, now: number) {
	return asked.flatMap((a) => {
		const { id } = a.device;
		// Somebody may have shut it out, or forgotten it, while it was asked.
		if ('silent' in a || typeof rowAt(db, 'endpoint_spots', { endpoint_id: id }, FOREVER - 1)?.branch_id !== 'string')
			return [];
		if ('refused' in a) {
			const spot = { endpoint_id: id, branch_id: null, rule_id: null, by: SEXTANT, why: a.refused };
			putAt(db, 'endpoint_spots', spot, now);
			return [];
		}
		putAt(db, 'endpoint_certificates', { endpoint_id: id, ...a.issued, authority }, now);
		return [{ device: a.device, issued: a.issued }];
	});
}

/**
 * Gives certificates to devices that are awake, stand in a branch and have none, or one that is about to end or that another authority has issued.
 * Whoever asks wrongly waits for somebody to look.
 * @param only looks at these alone
 */
export async function certifyDevices(ctx: Context, now: number, only: readonly number[] | null = null): Promise<void> {
	const { db } = ctx;
	const { fingerprint: authority } = await authorityCertificate(ctx);
	const lately = tried.get(db) ?? new Map<number, number>();
	tried.set(db, lately);
	for (const [id, at] of lately) if (at <= now - AGAIN) lately.delete(id);
	const due = all<Due>(
		db,
		`SELECT e.id, e.serial, e.key, (SELECT count(*) FROM endpoint_certificates h WHERE h.endpoint_id = e.id) AS had
		 FROM ${only ? 'json_each(@only) o CROSS JOIN endpoint_states st ON st.endpoint_id = o.value' : 'endpoint_states st'}
		 JOIN endpoints e ON e.id = st.endpoint_id JOIN endpoint_spots sp ON sp.endpoint_id = e.id AND sp.until = ${FOREVER} AND sp.branch_id IS NOT NULL
		 LEFT JOIN endpoint_certificates c ON c.endpoint_id = e.id AND c.until = ${FOREVER}
		 WHERE st.until = ${FOREVER} AND st.state = 'awake' AND (c.number IS NULL OR c.ends < @soon OR c.authority <> @authority)
		 AND e.id NOT IN (SELECT value FROM json_each(@lately))
		 ORDER BY c.ends, e.id LIMIT ${AT_ONCE}`,
		{
			soon: now + RENEWED_WITHIN,
			authority,
			lately: JSON.stringify([...lately.keys()]),
			...(only && { only: JSON.stringify(only) })
		}
	);
	if (!due.length) return;
	const asked = await Promise.all(due.map((d) => ask(ctx, d, now)));
	for (const a of asked) if ('silent' in a) lately.set(a.device.id, now);
	const given = db.transaction(() => record(db, asked, authority, now)).immediate();
	const taken = await Promise.all(
		given.map(({ device, issued }) =>
			apart(device, async () => {
				await ctx.providers.endpoints.give(device.serial, device.key, issued.pem);
				return true;
			})
		)
	);
	const lost = given.filter((_g, i) => taken[i] === null);
	if (lost.length)
		db.transaction(() => {
			for (const { device, issued } of lost) {
				// It has none of it, and is given another; what it had before still counts.
				insertRow(db, 'revoked_certificates', { number: issued.number, at: now, by: SEXTANT });
				closeAt(db, 'endpoint_certificates', { endpoint_id: device.id }, now + 1);
				lately.set(device.id, now);
			}
		}).immediate();
}

/** A certificate as it stands at a moment. */
export interface CertificateRow {
	number: string;
	since: number;
	ends: number;
	revokedAt: number | null;
	revokedBy: string | null;
	state: CertificateState;
	pem: string;
}

/** Certificates that a device was issued up to a moment, the newest first. */
export const certificatesOf = (db: Db, endpoint: number, at: number): CertificateRow[] =>
	all(
		db,
		`SELECT c.number, c.since, c.ends, c.pem, r.at AS revokedAt, r.by AS revokedBy, ${CERTIFICATE_STATE} AS state
		 FROM endpoint_certificates c LEFT JOIN revoked_certificates r ON r.number = c.number AND r.at <= @at
		 WHERE c.endpoint_id = @endpoint AND c.since <= @at ORDER BY c.since DESC`,
		{ at, endpoint }
	);

/** Certificates that are not to be trusted at a moment, though they have not ended. */
export const revokedAt = (db: Db, at: number): { number: string; at: number; by: string }[] =>
	all(
		db,
		`SELECT r.number, r.at, r.by FROM revoked_certificates r JOIN endpoint_certificates c ON c.number = r.number
		 WHERE r.at <= @at AND c.ends > @at ORDER BY r.at, r.number`,
		{ at }
	);

/** Devices that may be due and have none: they are not kept waiting until the next sweep. */
const waiting = new WeakMap<Db, Set<number>>();

/** A device has started, or is let in: where it has no certificate, it is given one within a minute. */
export function wantsCertificate(db: Db, endpoint: number): void {
	if (rowAt(db, 'endpoint_certificates', { endpoint_id: endpoint }, FOREVER - 1)) return;
	const known = waiting.get(db);
	if (known) known.add(endpoint);
	else waiting.set(db, new Set([endpoint]));
}

/** Gives certificates to those that have none and have come since the last time, the first of them first. */
export async function certifyNewcomers(ctx: Context, now: number): Promise<void> {
	const come = waiting.get(ctx.db);
	if (!come?.size) return;
	const first = [...come].slice(0, AT_ONCE);
	for (const id of first) come.delete(id);
	await certifyDevices(ctx, now, first);
}

/** What gateways were told last of certificates that count no longer. */
const told = new WeakMap<Context, string>();

/** Tells the gateways which certificates count no longer: they refuse whoever shows one while Sextant is away. */
export async function tellRevoked(ctx: Context): Promise<void> {
	const numbers = revokedAt(ctx.db, ctx.clock.now()).map((r) => r.number);
	await ctx.providers.broker.distrust(numbers);
	told.set(ctx, numbers.join());
}

/** Tells them again where another is revoked, or one has ended. */
export async function tellRevokedAnew(ctx: Context): Promise<void> {
	const now = revokedAt(ctx.db, ctx.clock.now());
	if (told.get(ctx) !== now.map((r) => r.number).join()) await tellRevoked(ctx);
}

/** Revokes whatever certificate of a device has not ended: also those that were renewed. */
export function revoke(db: Db, endpoint: number, by: string, now: number): void {
	for (const { number } of all<{ number: string }>(
		db,
		'SELECT number FROM endpoint_certificates WHERE endpoint_id = ? AND ends > ? AND NOT EXISTS (SELECT 1 FROM revoked_certificates r WHERE r.number = endpoint_certificates.number)',
		[endpoint, now]
	))
		insertRow(db, 'revoked_certificates', { number, at: now, by });
	const held = rowAt(db, 'endpoint_certificates', { endpoint_id: endpoint }, FOREVER - 1);
	// One that was issued in this very moment stays known as well: it may be out there.
	if (held) closeAt(db, 'endpoint_certificates', { endpoint_id: endpoint }, Math.max(now, (held.since as number) + 1));
}
