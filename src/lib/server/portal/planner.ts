import * as v from 'valibot';
import { CHANNELS, type Channel } from '$lib/core/access/decide';
import { CHECK_WORDS } from '$lib/core/diagnosis/checks';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, FOREVER, MINUTE, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one } from '../db';
import { recordOf, type KnownPerson } from '../directory';
import { devicesOf } from '../endpoints';
import { signInsOf } from '../identity/accounts';
import { hasFactor } from '../identity/factor';
import { signInPolicy, type SignInPolicy } from '../identity/portal';
import { planKindOf } from '../plans/catalogue';
import { InputProblem, planKind, stepOf, type Draft } from '../plans/kind';
import { ownChannels, ownMachine, ownName } from './mine';

const against = (words: string, source = 'portal'): Fact => ({ words, side: 'against', source });
const problem = (field: string, words: string) => new InputProblem([{ field, words }]);
const login = v.pipe(
	v.string('Say who.'),
	v.trim(),
	v.nonEmpty('Say who.'),
	v.maxLength(200, 'At most 200 characters.')
);
const thing = (words: string) =>
	v.pipe(v.string(words), v.nonEmpty(words), v.maxLength(200, 'At most 200 characters.'));
const quick = { middle: SECOND, ninety: SECOND };

function personOr(ctx: Context, called: string): KnownPerson {
	const p = recordOf(ctx.db, called, ctx.clock.now());
	if (!p) throw problem('person', `Nobody has the login ${called.slice(0, 60)}.`);
	return p;
}

const signInPlan = planKind({
	kind: 'portal.sign-in',
	words: 'Set how people sign in to the portal: passkeys, and how long a device of their own stays signed in',
	area: 'access',
	undo: 'back',
	schema: v.strictObject({
		passkeys: v.optional(v.boolean('Choose yes or no.'), true),
		/** Days without use after which somebody is signed out on a device of their own; 0: no device is. */
		ownDays: v.optional(
			v.pipe(
				v.number('Write the days.'),
				v.integer('Write whole days.'),
				v.minValue(0, 'Not less than none.'),
				v.maxValue(90, 'At most 90 days.')
			),
			0
		),
		/** Kinds of employment whose people may call a device their own; none: everybody. */
		ownFor: v.optional(
			v.pipe(
				v.array(v.pipe(v.string(), v.trim(), v.nonEmpty('Choose a kind of employment.'), v.maxLength(100))),
				v.maxLength(50, 'At most 50.'),
				v.transform((kinds) => [...new Set(kinds)].sort())
			),
			[]
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const before = signInPolicy(ctx.db);
		const known = new Set(
			all<{ employment: string }>(ctx.db, `SELECT DISTINCT employment FROM person_facts WHERE until = ${FOREVER}`).map(
				(r) => r.employment
			)
		);
		const unknown = input.ownFor.find((k) => !known.has(k));
		if (unknown !== undefined) throw problem('ownFor', `Nobody is employed as ${unknown.slice(0, 60)}.`);
		const holders = one<{ n: number }>(ctx.db, 'SELECT count(DISTINCT person_id) AS n FROM passkeys')!.n;
		const kept = one<{ n: number }>(ctx.db, 'SELECT count(DISTINCT person_id) AS n FROM sign_ins WHERE own = 1')!.n;
		return {
			title: `Let people sign in to the portal ${policyWords(input)}`,
			effects: { ...noEffects(), duration: quick },
			warnings: [
				...(before.passkeys && !input.passkeys && holders
					? [against(`${countWords(holders, 'person', 'people')} with a passkey can sign in by password alone`)]
					: []),
				...(input.ownDays < before.ownDays && kept
					? [against(`${countWords(kept, 'person', 'people')} stay signed in on a device of their own for less long`)]
					: []),
				...(input.ownDays > 0
					? [against('whoever has such a device in hand has what its person can open without a second factor')]
					: [])
			],
			blocks: policyWords(before) === policyWords(input) ? [against('it is so already', 'settings')] : [],
			reasons: [{ words: `until now ${policyWords(before)}`, source: 'settings' }],
			objects: ['settings/portal'],
			steps: [stepOf('portal.sign-in', 'Write it down', input, 100)],
			undo: { kind: 'portal.sign-in', input: before },
			undoWords: 'Yes: people sign in as before.'
		};
	}
});

/** A policy in words: `with passkeys, and stay signed in for 14 days on their own devices`. */
const policyWords = (p: SignInPolicy): string =>
	[
		p.passkeys ? 'with passkeys, too' : 'without passkeys',
		p.ownDays === 0
			? 'staying signed in on no device'
			: `${p.ownFor.length ? `${p.ownFor.join(', ')} ` : ''}staying signed in for ${countWords(p.ownDays, 'day')} without use on a device of their own`
	].join(', ');

const forgetFactor = planKind({
	kind: 'portal.forget-factor',
	words: 'Take somebody’s second factor, passkeys and recovery codes away, for whoever has lost them all',
	area: 'access',
	undo: 'never',
	schema: v.strictObject({ person: login }),
	async draft(ctx, input): Promise<Draft> {
		const p = personOr(ctx, input.person);
		const has = hasFactor(ctx.db, { kind: 'person', id: p.id });
		const signIns = one<{ n: number }>(ctx.db, 'SELECT count(*) AS n FROM sign_ins WHERE person_id = ?', [p.id])!.n;
		return {
			title: `Forget the second factor of ${p.name}`,
			effects: {
				...noEffects(),
				people: [{ kind: 'person', id: p.now, name: p.name, how: 'sets up a second factor anew' }],
				duration: quick
			},
			warnings: [
				against('until they have set up another, their password alone shows who they are'),
				...(signIns ? [against(`they are signed out of the portal in ${countWords(signIns, 'place')}`)] : [])
			],
			blocks: has ? [] : [against('they have none')],
			reasons: [],
			objects: [`person/${p.now}`],
			steps: [stepOf('people.shut', 'End their sign-ins, and forget their second factor', { person: p.id }, 200)],
			undo: null,
			undoWords: 'No: what is forgotten has to be set up again.'
		};
	}
});

const endSignIns = planKind({
	kind: 'portal.end-sign-ins',
	words: 'Sign somebody, or everybody, out of the portal: whoever goes on signs in again',
	area: 'access',
	undo: 'never',
	schema: v.strictObject({ person: v.nullable(login) }),
	async draft(ctx, input): Promise<Draft> {
		const p = input.person === null ? null : personOr(ctx, input.person);
		const n = signInsOf(ctx.db, { kind: 'person', id: p?.id ?? null });
		const who = all<{ login: string; name: string }>(
			ctx.db,
			'SELECT p.login, p.name FROM people p WHERE p.id IN (SELECT person_id FROM sign_ins WHERE person_id = coalesce(?, person_id)) ORDER BY p.name',
			[p?.id ?? null]
		);
		return {
			title: p ? `Sign ${p.name} out of the portal` : 'Sign everybody out of the portal',
			effects: {
				...noEffects(),
				people: who.map(({ login: id, name }) => ({ kind: 'person', id, name, how: 'signs in again' })),
				duration: quick
			},
			warnings: [],
			blocks: n === 0 ? [against(p ? `${p.name} is signed in nowhere` : 'nobody is signed in')] : [],
			reasons: [
				{
					words: `${countWords(n, 'sign-in')} ${n === 1 ? 'ends' : 'end'} at once; what is open on machines goes on, and is there when they come back`,
					source: 'portal'
				}
			],
			objects: [p ? `person/${p.now}` : 'portal/sign-ins'],
			steps: [stepOf('portal.end-sign-ins', 'End them', { person: p?.id ?? null }, 200)],
			undo: null,
			undoWords: 'No: they sign in again.'
		};
	}
});

const channels = planKind({
	kind: 'own.channels',
	words: 'Let through, or keep out, what of their own device somebody has in their sessions',
	area: 'shelf',
	undo: 'back',
	schema: v.strictObject({
		person: login,
		/** True: passes; false: is kept out; null: is asked again. What does not stand here stays as it is. */
		pass: v.strictObject(
			Object.fromEntries(CHANNELS.map((c) => [c, v.optional(v.nullable(v.boolean('Choose yes or no.')))])) as Record<
				Channel,
				v.OptionalSchema<v.NullableSchema<v.BooleanSchema<string>, undefined>, undefined>
			>
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const p = personOr(ctx, input.person);
		const before = ownChannels(ctx.db, p.id);
		const changed = CHANNELS.filter((c) => input.pass[c] !== undefined && input.pass[c] !== before[c]);
		return {
			title: `${p.name} ${changed.map((c) => `${input.pass[c] === true ? 'lets through' : input.pass[c] === false ? 'keeps out' : 'is asked about'} ${c}`).join(', ')}`,
			effects: {
				...noEffects(),
				people: [{ kind: 'person', id: p.now, name: p.name, how: 'from the next opening on' }],
				duration: quick
			},
			warnings: [],
			blocks: changed.length ? [] : [against('it is so already')],
			reasons: [{ words: 'a grant that does not allow a channel keeps it out whatever is set here', source: 'grants' }],
			objects: [`person/${p.now}/channels`],
			steps: [
				stepOf(
					'own.channels',
					'Write it down',
					{ person: p.id, pass: Object.fromEntries(changed.map((c) => [c, input.pass[c] ?? null])) },
					50
				)
			],
			undo: {
				kind: 'own.channels',
				input: { person: p.now, pass: Object.fromEntries(changed.map((c) => [c, before[c]])) }
			},
			undoWords: 'Yes: it is as it was.'
		};
	}
});

const rename = planKind({
	kind: 'own.rename',
	words: 'Call a machine or device of somebody’s as they call it themselves',
	area: 'shelf',
	undo: 'back',
	schema: v.strictObject({
		person: login,
		kind: v.picklist(['machine', 'endpoint'], 'Choose machine or endpoint.'),
		thing: thing('Say which.'),
		/** Empty: by its own name again. */
		name: v.pipe(v.string('Write a name.'), v.trim(), v.maxLength(60, 'At most 60 characters.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const p = personOr(ctx, input.person);
		const theirs =
			input.kind === 'machine'
				? ownMachine(ctx, p.id, input.thing) !== null
				: devicesOf(ctx.db, p.id, ctx.clock.now()).some((d) => d.serial === input.thing);
		if (!theirs) throw problem('thing', `${input.thing} is not theirs.`);
		const before = ownName(ctx.db, p.id, input.kind, input.thing) ?? '';
		return {
			title: input.name === '' ? `Call ${input.thing} by its own name` : `Call ${input.thing} ${input.name}`,
			effects: {
				...noEffects(),
				people: [{ kind: 'person', id: p.now, name: p.name, how: 'sees it under this name' }],
				duration: quick
			},
			warnings: [],
			blocks: before === input.name ? [against('it is called so already')] : [],
			reasons: [{ words: 'the name is for them alone: everybody else sees its own', source: 'portal' }],
			objects: [`person/${p.now}/names`],
			steps: [
				stepOf(
					'own.rename',
					'Write it down',
					{ person: p.id, kind: input.kind, thing: input.thing, name: input.name },
					50
				)
			],
			undo: { kind: 'own.rename', input: { person: p.now, kind: input.kind, thing: input.thing, name: before } },
			undoWords: 'Yes: it is called as before.'
		};
	}
});

/** Draws up what an operator's plan would do, for somebody who may do it to what is theirs. */
const asOperator = (ctx: Context, kind: string, input: object): Promise<Draft> => planKindOf(kind)!.draft(ctx, input);

const ownSchema = v.strictObject({ person: login, machine: thing('Say which machine.') });

/** Somebody, and the machine that they name, which has to be theirs. */
function theirs(ctx: Context, input: v.InferOutput<typeof ownSchema>) {
	const p = personOr(ctx, input.person);
	const machine = ownMachine(ctx, p.id, input.machine);
	if (machine === null) throw problem('machine', `${input.machine} is not theirs.`);
	return { p, machine };
}

const restart = planKind({
	kind: 'own.restart',
	words: 'Start or restart a machine that somebody keeps, as they ask for it themselves',
	area: 'shelf',
	undo: 'never',
	schema: ownSchema,
	async draft(ctx, input): Promise<Draft> {
		const { p, machine } = theirs(ctx, input);
		const off = machine.state === 'off' || machine.state === 'failed';
		const draft = await asOperator(ctx, off ? 'machine.start' : 'machine.restart', { machines: [input.machine] });
		return {
			...draft,
			blocks: [
				...draft.blocks,
				...(machine.kept ? [] : [against(`${input.machine} is not theirs alone: others are let onto it, too`)])
			],
			reasons: [{ words: `${p.name} keeps it`, side: 'for', source: 'owner' }, ...draft.reasons],
			undo: null,
			undoWords: 'No: what has been started anew stays so.'
		};
	}
});

const mend = planKind({
	kind: 'own.mend',
	words:
		'Try the mild remedies for a failing check of a machine that somebody keeps or is on, as they ask for it themselves',
	area: 'shelf',
	undo: 'never',
	schema: ownSchema,
	async draft(ctx, input): Promise<Draft> {
		const { p, machine } = theirs(ctx, input);
		if (machine.wrong === null) throw problem('machine', `Nothing is known to be wrong with ${input.machine}.`);
		const { check, remedies } = machine.wrong;
		const draft = await asOperator(ctx, 'runbook.run', { machine: input.machine, check });
		const steps = draft.steps.filter(
			(s) => s.kind === 'runbook.remedy' && (remedies as string[]).includes(s.input.remedy)
		);
		// Where its service is all that may be started anew, nobody is signed out.
		const mild = !remedies.includes('restart machine');
		return {
			...draft,
			title: `Put ${input.machine} right for ${p.name}: ${CHECK_WORDS[check].fails}`,
			effects: {
				...draft.effects,
				...(mild ? { people: [], sessionsEnded: [] } : {}),
				duration: {
					middle: steps[0]?.expected ?? 0,
					ninety: steps.reduce((n, s) => n + s.expected, 0) || MINUTE
				}
			},
			warnings: mild ? [] : draft.warnings,
			blocks: [
				...draft.blocks,
				...(steps.length ? [] : [against('what would help is left to the helpdesk', 'runbook')])
			],
			steps
		};
	}
});

export const portalPlans = [signInPlan, forgetFactor, endSignIns, channels, rename, restart, mend] as const;
