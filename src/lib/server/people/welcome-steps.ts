import { one, putSetting, type Db } from '../db';
import { recordOf } from '../directory';
import { endInvitations, invitationSent, makeInvitation, unsentInvitation } from '../identity/invitations';
import { PORTAL_ADDRESS } from '../identity/portal';
import { stepHandler } from '../jobs/step';
import { invitationMail } from './inviting';
import { linkEnds } from './welcome-plans';

const loginOf = (db: Db, person: number): string =>
	one<{ login: string }>(db, 'SELECT login FROM people WHERE id = ?', [person])!.login;

export const welcomeSteps = {
	'people.invite': stepHandler<{ people: number[]; days: number }>({
		async run({ ctx, input, job }) {
			const now = ctx.clock.now();
			return {
				write: (db) => {
					for (const person of input.people) {
						const p = recordOf(db, loginOf(db, person), now)!;
						makeInvitation(db, ctx.vault, { person, at: now, endsAt: linkEnds(p.begins, now, input.days), by: job.by });
					}
				}
			};
		}
	}),

	'people.send': stepHandler<{ people: number[] }>({
		async run({ ctx, input, each }) {
			const { done, failed } = await each(input.people.map(String), 4, async (person, key) => {
				const invitation = unsentInvitation(ctx.db, ctx.vault, Number(person));
				if (!invitation) return;
				const mail = invitationMail(ctx.db, loginOf(ctx.db, Number(person)), invitation, ctx.clock.now());
				if (!mail) throw new Error('no mail address is known');
				await ctx.providers.mail.send(mail.to, mail.subject, mail.body, key);
				return (db: Db) => invitationSent(db, invitation.id);
			});
			return { result: { sent: done.length, ...(failed.length ? { failed: failed.length } : {}) } };
		}
	}),

	'people.uninvite': stepHandler<{ people: number[] }>({
		async run({ ctx, input }) {
			const now = ctx.clock.now();
			return { write: (db) => input.people.forEach((p) => endInvitations(db, p, now)) };
		}
	}),

	'portal.address': stepHandler<{ address: string }>({
		async run({ input }) {
			return { write: (db) => putSetting(db, PORTAL_ADDRESS, input.address) };
		}
	})
};
