import type { Speaker } from '$lib/core/portal/say';
import type { Context } from '../context';
import { raiseSignIn } from '../identity/accounts';
import type { Caller } from '../identity/caller';
import { CODE_SAID, hasApp, hasFactor, useCode } from '../identity/factor';
import { countPasskeys, doorOf, showPasskey } from '../identity/passkeys';

/** What somebody can show a second factor with, where they are. */
export const factorsOf = ({ db }: Pick<Context, 'db'>, person: number, url: URL) => {
	const owner = { kind: 'person', id: person } as const;
	return {
		on: hasFactor(db, owner),
		app: hasApp(db, owner),
		passkeys: doorOf(db, url) !== null && countPasskeys(db, owner) > 0
	};
};

/**
 * Somebody shows their second factor to what asks for it: a passkey's answer, or a code. From then on it counts for their sign-in.
 * @returns null, or which of the two was not right, and why in their language
 */
export async function giveFactor(
	ctx: Context,
	caller: Caller,
	url: URL,
	form: FormData,
	say: Speaker
): Promise<{ given: 'answer' | 'code'; problem: string } | null> {
	const owner = { kind: 'person', id: caller.id } as const;
	const answer = form.get('answer');
	if (typeof answer === 'string') {
		const door = doorOf(ctx.db, url);
		const shown = door && (await showPasskey(ctx.db, owner, door, { answer, at: ctx.clock.now() }));
		if (!shown?.ok) return { given: 'answer', problem: say(`passkey.${shown?.problem ?? 'wrong'}`, { most: 0 }) };
	} else {
		const code = form.get('code');
		const taken = useCode(ctx, owner, typeof code === 'string' ? code : '');
		if (taken !== 'right') return { given: 'code', problem: say(CODE_SAID[taken]) };
	}
	raiseSignIn(ctx.db, caller.signIn!);
	return null;
}
