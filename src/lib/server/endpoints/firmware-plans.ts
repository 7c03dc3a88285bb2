import * as v from 'valibot';
import { compareFirmware } from '$lib/core/endpoints/condition';
import type { FirmwareWish } from '$lib/core/endpoints/firmware';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, SECOND, sizeWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { firmwareRows, firmwareWishes, type FirmwareRow, type WishRow } from './firmware';
import { treeAt } from './queries';

const against = (words: string, source = 'endpoints'): Fact => ({ words, side: 'against', source });
const text = (words: string) =>
	v.pipe(v.string(words), v.trim(), v.nonEmpty(words), v.maxLength(200, 'At most 200 characters.'));
const problem = (field: string, words: string) => new InputProblem([{ field, words }]);
/** Devices that are said one by one. */
const SAID = 12;

/** How many stand how, and why those that wait do: the most first. */
function standingFacts(rows: readonly FirmwareRow[]): Fact[] {
	const by = new Map<string, number>();
	for (const r of rows) {
		const words =
			r.standing === 'has it' ? 'have it already' : r.standing === 'waits' ? `wait: ${r.why.words}` : 'take it at once';
		by.set(words, (by.get(words) ?? 0) + 1);
	}
	return [...by]
		.sort((a, b) => b[1] - a[1])
		.slice(0, SAID)
		.map(([words, n]) => ({ words: `${n} ${words}`, source: 'endpoints' }));
}

function draftOf(
	ctx: Context,
	{ branch, model }: { branch: string; model: string },
	after: Omit<FirmwareWish, 'branch' | 'model'> | null
): Draft {
	const { db } = ctx;
	const now = ctx.clock.now();
	const tree = treeAt(db, now);
	const b = tree.get(branch);
	if (!b) throw problem('branch', `There is no branch ${branch.slice(0, 60)}.`);
	const wishes = firmwareWishes(db, now);
	const before = wishes.find((w) => w.branch === branch && w.model === model) ?? null;
	const others = wishes.filter((w) => w !== before);
	const was = new Map(firmwareRows(db, now).map((r) => [r.id, r.wish.version]));
	const is = firmwareRows(db, now, after ? [...others, { branch, model, ...after }] : others);
	const under = is.filter((r) => r.wish.branch === branch && r.wish.model === model);
	const changed = is.filter((r) => was.get(r.id) !== r.wish.version && r.standing !== 'has it');
	const older = after ? changed.filter((r) => (compareFirmware(r.firmware, after.version) ?? -1) > 0) : [];
	const same = before !== null && after !== null && before.version === after.version && before.thin === after.thin;
	const undo: Draft['undo'] = before
		? { kind: 'firmware.want', input: { branch, model, version: before.version, thin: before.thin } }
		: { kind: 'firmware.want-no-more', input: { branch, model } };
	return {
		title: after
			? `Let ${model} in ${b.name} have firmware ${after.version}`
			: `Wish no firmware any more for ${model} in ${b.name}`,
		effects: {
			...noEffects(),
			endpoints: changed.map((r) => ({
				kind: 'endpoint',
				id: String(r.id),
				name: r.name,
				how: `${r.firmware} → ${r.wish.version}`
			})),
			bytes: changed.reduce((n, r) => n + r.wish.bytes, 0),
			duration: { middle: SECOND, ninety: 2 * SECOND }
		},
		warnings: older.length
			? [against(`${countWords(older.length, 'endpoint has', 'endpoints have')} a newer one, and would go back`)]
			: [],
		blocks: [
			...(same ? [against('it is so already')] : []),
			...(after === null && before === null ? [against('nothing is wished for them there')] : [])
		],
		reasons: after
			? [
					{
						words: `${sizeWords(after.bytes)} each; they take it while they are awake and nobody is on them, some of a site at a time`,
						source: 'endpoints'
					},
					...standingFacts(under),
					...(under.length === 0 ? [{ words: `no ${model} stands there yet`, source: 'endpoints' }] : [])
				]
			: [{ words: 'what they have they keep', source: 'endpoints' }],
		objects: [`branch/${branch}`],
		steps: [
			stepOf(
				'firmware.write',
				'Write it down',
				{ branch, model, is: after && { version: after.version, bytes: after.bytes, thin: after.thin } },
				100
			)
		],
		undo,
		undoWords: 'Yes: what was wished before is wished again; what has been taken by then stays until another is wished.'
	};
}

const want = planKind({
	kind: 'firmware.want',
	words: 'Let endpoints of a model that stand in a branch have a version of firmware',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		branch: text('Choose a branch.'),
		model: text('Choose a model.'),
		version: text('Choose a version.'),
		/** Over links as well where it takes half an hour and more. */
		thin: v.optional(v.boolean(), false)
	}),
	async draft(ctx, { branch, model, version, thin }): Promise<Draft> {
		const there = (await ctx.providers.endpoints.firmware()).filter((f) => f.model === model);
		const found = there.find((f) => f.version === version);
		if (there.length === 0) throw problem('model', `There is no firmware for ${model.slice(0, 60)}.`);
		if (!found)
			throw problem(
				'version',
				`There is no ${version.slice(0, 40)} for ${model}: ${there.map((f) => f.version).join(', ')}.`
			);
		return draftOf(ctx, { branch, model }, { version, bytes: found.bytes, thin });
	}
});

const wantNoMore = planKind({
	kind: 'firmware.want-no-more',
	words: 'Wish no firmware any more for endpoints of a model in a branch: what they have they keep',
	area: 'publishing',
	undo: 'sometimes',
	schema: v.strictObject({ branch: text('Choose a branch.'), model: text('Choose a model.') }),
	draft: async (ctx, input) => draftOf(ctx, input, null)
});

export const firmwarePlans = [want, wantNoMore];

/** How wishes stand, for a view: by branch and model, with how many have it, take it or wait, and why. */
export function wishesView(
	rows: readonly FirmwareRow[],
	wishes: readonly WishRow[],
	nameOf: (branch: string) => string
) {
	return wishes.map((w) => {
		const own = rows.filter((r) => r.wish.branch === w.branch && r.wish.model === w.model);
		const why = new Map<string, number>();
		for (const r of own) if (r.standing === 'waits') why.set(r.why.words, (why.get(r.why.words) ?? 0) + 1);
		const of = (...standing: FirmwareRow['standing'][]) => own.filter((r) => standing.includes(r.standing)).length;
		return {
			branch: w.branch,
			branchName: nameOf(w.branch),
			model: w.model,
			version: w.version,
			thin: w.thin,
			by: w.by,
			since: w.since,
			all: own.length,
			has: of('has it'),
			takes: of('takes it', 'may take it'),
			waits: [...why].sort((a, b) => b[1] - a[1]).map(([words, n]) => ({ words, n }))
		};
	});
}
