import type { Role } from '$lib/core/access/rights';
import { one, run } from '../db';
import { stepHandler, type StepHandler } from '../jobs/step';
import { keepToken } from './accounts';

export const identitySteps: Record<string, StepHandler> = {
	'operator.write': stepHandler<{ login: string; name: string; role: Role; passwordHash: string }>({
		run: async ({ input }) => ({
			write: (db) =>
				void run(db, 'INSERT INTO operators(login, name, role, password) VALUES (?, ?, ?, ?)', [
					input.login,
					input.name,
					input.role,
					input.passwordHash
				])
		})
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
	'token.write': stepHandler<{ name: string; role: Role; hash: string }>({
		run: async ({ ctx, input, job }) => ({
			write: (db) => keepToken(db, input.name, input.role, input.hash, job.by, ctx.clock.now())
		})
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
