import { hash } from '@node-rs/argon2';
import type { Role } from '$lib/core/access/rights';
import { HEADS_HOOK, HEADS_MAIL } from '../changes/send';
import { one, putSetting, run } from '../db';
import { stepHandler } from '../jobs/step';
import type { Vault } from '../vault';
import { openSecret } from '../plans/secrets';
import { keepToken } from '../identity/accounts';

/** A secret of the plan. Throws where another key sealed it. */
function opened(vault: Vault, value: string): string {
	const secret = openSecret(vault, value);
	if (secret === null) throw new Error('its secret cannot be opened: the key of the vault is another one');
	return secret;
}

export const operatorSteps = {
	'operator.write': stepHandler<{ login: string; name: string; role: Role; password: string }>({
		run: async ({ ctx, input }) => {
			const password = await hash(opened(ctx.vault, input.password));
			return {
				write: (db) =>
					void run(db, 'INSERT INTO operators(login, name, role, password) VALUES (?, ?, ?, ?)', [
						input.login,
						input.name,
						input.role,
						password
					])
			};
		}
	}),
	'operator.role': stepHandler<{ login: string; role: Role }>({
		run: async ({ input }) => ({
			write: (db) => void run(db, 'UPDATE operators SET role = ? WHERE login = ?', [input.role, input.login])
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
	'record.heads': stepHandler<{ mail: string; hook: string }>({
		run: async ({ input }) => ({
			write: (db) => {
				putSetting(db, HEADS_MAIL, input.mail);
				putSetting(db, HEADS_HOOK, input.hook);
			}
		})
	}),
	'token.write': stepHandler<{ name: string; role: Role; hash: string }>({
		run: async ({ ctx, input, job }) => {
			const secret = opened(ctx.vault, input.hash);
			return { write: (db) => keepToken(db, input.name, input.role, secret, job.by, ctx.clock.now()) };
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
