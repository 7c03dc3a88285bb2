import type { Context } from '../context';
import { setting, type Db } from '../db';
import { headLine, type Head } from './heads';

/** Settings that say where heads of the change log are sent: an address of mail, and one of a web hook. */
export const HEADS_MAIL = 'heads mail';
export const HEADS_HOOK = 'heads hook';
/** A web hook has so long to answer, ms. */
const PATIENCE = 10_000;

/** Whether heads of the change log are sent anywhere. */
export const sendsHeads = (db: Db): boolean => Boolean(setting(db, HEADS_MAIL) || setting(db, HEADS_HOOK));

/** Sends a head to where it was set. Throws, with what went wrong, when neither took it. */
export async function sendHead(ctx: Context, head: Head): Promise<void> {
	const mail = setting(ctx.db, HEADS_MAIL);
	const hook = setting(ctx.db, HEADS_HOOK);
	const line = headLine(head);
	const outcomes = await Promise.allSettled([
		...(mail
			? [
					ctx.providers.mail.send(
						mail,
						`Change log of ${setting(ctx.db, 'estate') ?? 'Sextant'}: change ${head.number}`,
						`${line}\nKeep this line: “verify --against FILE” compares the change log with it.`,
						`head-${head.number}`
					)
				]
			: []),
		...(hook
			? [
					fetch(hook, {
						method: 'POST',
						body: line,
						headers: { 'content-type': 'application/json' },
						redirect: 'error',
						signal: AbortSignal.timeout(PATIENCE)
					}).then((answer) => {
						if (!answer.ok) throw new Error(`${hook} answered ${answer.status}`);
					})
				]
			: [])
	]);
	const failed = outcomes.find((o) => o.status === 'rejected');
	if (failed) throw failed.reason;
}
