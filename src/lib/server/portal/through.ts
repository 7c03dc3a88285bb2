import type { Keeper, Kept } from '$lib/core/portal/kept';
import { channelOf, isSized, type Passage } from '$lib/core/reach/channels';
import { OTHERWISE } from '$lib/core/reach/rules';
import type { Verdict } from '$lib/core/reach/enforce';
import type { Context } from '../context';
import { ruleName } from '../reach';
import { ownChannels } from './mine';

/** One way between a session and the device in front of its person. */
export interface WayThrough {
	passage: Passage;
	/** So many bytes pass at once at most; null: however many; 0: nothing passes. */
	upTo: number | null;
	/** What keeps back whatever is more; null: nothing does. */
	kept: Kept | null;
}

const keptBy = ({ db, clock }: Pick<Context, 'db' | 'clock'>, v: Verdict): Kept => ({
	by: v.asked === 'factor' || v.asked === 'reason' ? v.asked : 'rule',
	rule: v.rule === OTHERWISE ? null : ruleName(db, v.rule, clock.now()),
	words: v.words
});
const plainly = (by: Keeper): Kept => ({ by, rule: null, words: null });

/** What passes the session of a connection, by each way: none where nobody is in it yet. */
export async function waysThrough(ctx: Context, person: number, connection: number): Promise<WayThrough[]> {
	const own = ownChannels(ctx.db, person);
	const ways = await ctx.providers.broker.passes(connection);
	return ways.map(({ passage, granted, upTo, held }): WayThrough => {
		const kept = !granted
			? plainly('grant')
			: own[channelOf(passage)] === false
				? plainly('own')
				: held && keptBy(ctx, held);
		const shut = kept?.by === 'grant' || kept?.by === 'own';
		return { passage, upTo: shut ? 0 : upTo, kept };
	});
}

/** Lets so many bytes pass one way, or says what keeps them; null: they have passed. */
export async function passOnce(
	ctx: Context,
	person: number,
	connection: number,
	passage: Passage,
	bytes: number,
	reason: string | null
): Promise<Kept | null> {
	if (ownChannels(ctx.db, person)[channelOf(passage)] === false) return plainly('own');
	const came = await ctx.providers.broker.pass(connection, passage, isSized(passage) ? bytes : 0, reason);
	if (came.through) return null;
	return came.granted ? keptBy(ctx, came) : plainly('grant');
}
