import type { ConsentRules } from '$lib/core/access/consent';
import { forgetOperatorFactors } from '../identity/factor';
import { setAuditorsAlone } from '../identity/assignments';
import { setStaffPolicy, type StaffPolicy } from '../identity/staff';
import { CONSENT } from '../plans/consent';
import { hash } from '@node-rs/argon2';
import type { Rights } from '$lib/core/access/rights';
import { HEADS_HOOK, HEADS_MAIL } from '../changes/send';
import { one, putSetting, run } from '../db';
import { insertRow } from '../db/rows';
import { stepHandler } from '../jobs/step';
import type { Vault } from '../vault';
import { openSecret } from '../plans/secrets';
import { assign, endSignInsOf, keepToken } from '../identity/accounts';
import { closeAt, openAt } from '../db/intervals';

/** A secret of the plan. Throws where another key sealed it. */
function opened(vault: Vault, value: string): string {
	const secret = openSecret(vault, value);
	if (secret === null) throw new Error('its secret cannot be opened: the key of the vault is another one');
	return secret;
}

interface Assigned {
	role: string;
	part: string;
	ends: number | null;
}
const assigned = ({ role, part, ends }: Assigned): Assigned => ({ role, part, ends });

export const operatorSteps = {
	'operator.write': stepHandler<Assigned & { login: string; name: string; password: string }>({
		run: async ({ ctx, input, job }) => {
			const password = await hash(opened(ctx.vault, input.password));
			return {
				write: (db) => {
					insertRow(db, 'operators', { login: input.login, name: input.name, password });
					assign(db, input.login, { ...assigned(input), by: job.by }, ctx.clock.now());
				}
			};
		}
	}),
	'assignment.write': stepHandler<Assigned & { login: string }>({
		run: async ({ ctx, input, job }) => ({
			write: (db) => assign(db, input.login, { ...assigned(input), by: job.by }, ctx.clock.now())
		})
	}),
	'assignment.end': stepHandler<{ assignment: number }>({
		run: async ({ ctx, input }) => ({
			write: (db) => closeAt(db, 'assignments', { id: input.assignment }, ctx.clock.now())
		})
	}),
	'role.write': stepHandler<{ id: string; name: string; note: string; rights: Rights }>({
		run: async ({ ctx, input, job }) => ({
			write: (db) => {
				const { id, name, note } = input;
				closeAt(db, 'made_roles', { id }, ctx.clock.now());
				openAt(db, 'made_roles', { id, name, note, rights: JSON.stringify(input.rights), by: job.by }, ctx.clock.now());
			}
		})
	}),
	'role.end': stepHandler<{ id: string }>({
		run: async ({ ctx, input }) => ({
			write: (db) => closeAt(db, 'made_roles', { id: input.id }, ctx.clock.now())
		})
	}),
	'operator.disable': stepHandler<{ login: string; disabled: boolean }>({
		run: async ({ input }) => ({
			write: (db) => {
				run(db, 'UPDATE operators SET disabled = ? WHERE login = ?', [input.disabled ? 1 : 0, input.login]);
				if (input.disabled)
					run(db, 'DELETE FROM sign_ins WHERE operator_id = ?', [
						one<{ id: number }>(db, 'SELECT id FROM operators WHERE login = ?', [input.login])!.id
					]);
			}
		})
	}),
	'consent.write': stepHandler<ConsentRules>({
		run: async ({ input }) => ({ write: (db) => putSetting(db, CONSENT, JSON.stringify(input)) })
	}),
	'operator.forget-factor': stepHandler<{ login: string }>({
		run: async ({ input }) => ({
			write: (db) => {
				const { id } = one<{ id: number }>(db, 'SELECT id FROM operators WHERE login = ?', [input.login])!;
				forgetOperatorFactors(db, id);
				run(db, 'DELETE FROM sign_ins WHERE operator_id = ?', [id]);
			}
		})
	}),
	'operator.end-sign-ins': stepHandler<{ operator: number | null }>({
		run: async ({ input }) => ({ write: (db) => endSignInsOf(db, { kind: 'operator', id: input.operator }) })
	}),
	'operators.sign-in': stepHandler<StaffPolicy>({
		run: async ({ input }) => ({ write: (db) => setStaffPolicy(db, input) })
	}),
	'record.readers': stepHandler<{ auditorsAlone: boolean }>({
		run: async ({ input }) => ({ write: (db) => setAuditorsAlone(db, input.auditorsAlone) })
	}),
	'record.heads': stepHandler<{ mail: string; hook: string }>({
		run: async ({ input }) => ({
			write: (db) => {
				putSetting(db, HEADS_MAIL, input.mail);
				putSetting(db, HEADS_HOOK, input.hook);
			}
		})
	}),
	'token.write': stepHandler<Assigned & { name: string; hash: string }>({
		run: async ({ ctx, input, job }) => {
			const secret = opened(ctx.vault, input.hash);
			return {
				write: (db) =>
					keepToken(
						db,
						{ name: input.name, ...assigned(input) },
						secret,
						{ name: job.by, operator: job.operator },
						ctx.clock.now()
					)
			};
		}
	}),
	'token.revoke': stepHandler<{ name: string }>({
		run: async ({ ctx, input }) => ({
			write: (db) =>
				void run(db, 'UPDATE tokens SET revoked_at = ? WHERE name = ? AND revoked_at IS NULL', [
					ctx.clock.now(),
					input.name
				])
		})
	})
};
