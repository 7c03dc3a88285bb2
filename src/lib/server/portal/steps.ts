import { run } from '../db';
import { insertRow } from '../db/rows';
import { setSignInPolicy, type SignInPolicy } from '../identity/portal';
import { endSignInsOf } from '../identity/accounts';
import { stepHandler } from '../jobs/step';

export const portalSteps = {
	'portal.sign-in': stepHandler<SignInPolicy>({
		async run({ input }) {
			return { write: (db) => setSignInPolicy(db, input) };
		}
	}),

	'portal.end-sign-ins': stepHandler<{ person: number | null }>({
		run: async ({ input }) => ({ write: (db) => endSignInsOf(db, { kind: 'person', id: input.person }) })
	}),
	'own.channels': stepHandler<{ person: number; pass: Record<string, boolean | null> }>({
		async run({ ctx, input }) {
			return {
				write: (db) => {
					for (const [channel, pass] of Object.entries(input.pass)) {
						run(db, 'DELETE FROM own_channels WHERE person_id = ? AND channel = ?', [input.person, channel]);
						if (pass !== null)
							insertRow(db, 'own_channels', {
								person_id: input.person,
								channel,
								pass: pass ? 1 : 0,
								at: ctx.clock.now()
							});
					}
				}
			};
		}
	}),

	'own.rename': stepHandler<{ person: number; kind: 'machine' | 'endpoint'; thing: string; name: string }>({
		async run({ ctx, input: { person, kind, thing, name } }) {
			return {
				write: (db) => {
					run(db, 'DELETE FROM own_names WHERE person_id = ? AND kind = ? AND thing = ?', [person, kind, thing]);
					if (name !== '') insertRow(db, 'own_names', { person_id: person, kind, thing, name, at: ctx.clock.now() });
				}
			};
		}
	})
};
