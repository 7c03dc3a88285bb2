import { countWords, DAY, FOREVER } from '$lib/core/time/units';
import { setting, type Db } from '../db';
import { recordOf, saidBy } from '../directory';
import { addressOfPortal } from '../identity/portal';

/** What an invitation says. */
export function invitationMail(
	db: Db,
	login: string,
	{ token, endsAt }: { token: string; endsAt: number },
	now: number
): { to: string; subject: string; body: string } | null {
	const p = recordOf(db, login, now);
	if (!p || p.mail === null) return null;
	const say = saidBy(db);
	const estate = setting(db, 'estate') ?? 'Sextant';
	const begins = p.begins > now && p.begins < FOREVER ? `Your first day is ${say.day(p.begins, p.site)}. ` : '';
	const days = Math.max(1, Math.ceil((endsAt - now) / DAY));
	return {
		to: p.mail,
		subject: `${estate}: your desktop and apps`,
		body: [
			`Hello ${p.name},`,
			'',
			`${begins}What you work with stands ready in the portal. Open this link once, within ${countWords(days, 'day')}, and set up your second factor:`,
			'',
			`${addressOfPortal(db)}/my/welcome/${token}`,
			'',
			`After that you sign in at ${addressOfPortal(db)}/my with the login ${p.login}.`
		].join('\n')
	};
}
