import * as v from 'valibot';
import {
	AREA_WORDS,
	LEVELS,
	levelIn,
	may,
	ROLES,
	STAFF,
	STAFF_AREAS,
	WHOLE,
	type Rights
} from '$lib/core/access/rights';
import { asksAny, type ConsentRules } from '$lib/core/access/consent';
import { partText, readPart } from '$lib/core/access/part';
import { noEffects } from '$lib/core/plans/effects';
import { momentOf, momentWords } from '$lib/core/time/zone';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { homeZone } from '../capacity';
import { HEADS_HOOK, HEADS_MAIL } from '../changes/send';
import { one, setting } from '../db';
import { DAY, durationWords } from '$lib/core/time/units';
import {
	actingAs,
	assignmentsOf,
	auditorsAlone,
	holdersOf,
	madeRoles,
	otherOwners,
	roleNow
} from '../identity/assignments';
import { hasFactor } from '../identity/factor';
import { STAFF_LIMITS, staffPolicy } from '../identity/staff';
import { partName } from '../part';
import { knownScope } from '../moment/names';
import { parseScope, scopeText } from '$lib/core/scope/scope';
import { countWords } from '$lib/core/time/units';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { isSealed, openSecret } from '../plans/secrets';
import { operators, signInsOf, tokensOf } from '../identity/accounts';
import { passwordProblem, PASSWORD, wordsAbout } from '../identity/password';
import { planKindOf } from '../plans/catalogue';
import { CONSENT_KIND, consentRules } from '../plans/consent';
import { freeSlug } from '../plans/slug';

const ROLE = v.pipe(v.string(), v.trim(), v.nonEmpty('Choose a role.'), v.maxLength(60, 'There is no such role.'));
const PART = v.optional(v.pipe(v.string(), v.trim(), v.maxLength(600, 'At most 600 characters.')), '');
const ENDS = v.optional(
	v.nullable(
		v.pipe(
			v.string(),
			v.trim(),
			v.check(
				(t) => t === '' || (t.length <= 40 && /^\d{4}-\d\d-\d\d(T|$)/.test(t) && !Number.isNaN(Date.parse(t))),
				'Write a day such as 2027-03-31, to its end, or a moment with its zone.'
			)
		)
	),
	null
);
const LOGIN = v.pipe(
	v.string(),
	v.trim(),
	v.regex(/^[a-z0-9][a-z0-9.-]{1,30}$/, 'Small letters, digits, dots and hyphens, 2 to 31 of them.')
);

/** A role that operators, or tokens, can have. */
function roleOrThrow(ctx: Context, id: string, besides: readonly string[] = []) {
	const role = [...STAFF, ...besides].includes(id) || !ROLES.some((r) => r === id) ? roleNow(ctx.db, id) : null;
	if (!role) throw new InputProblem([{ field: 'role', words: `There is no role ${id}.` }]);
	return role;
}

/** A part as it is kept: what it names is there, and written the same way for the same part. */
function partOrThrow(ctx: Context, text: string): { text: string; words: string } {
	const { problems } = readPart(text);
	const known = knownScope(ctx.db, parseScope(text).scope);
	const wrong = [...problems, ...known.problems.map((p) => p.words)];
	if (wrong.length) throw new InputProblem([{ field: 'part', words: wrong.join(' ') }]);
	// What somebody types by its name is kept by its id.
	const { part: ids } = readPart(scopeText(known.scope));
	const written = partText(ids);
	return { text: written, words: written && partName(ctx.db, written) };
}

/** When something ends that somebody is given, ms UTC: a day counts to its end where the estate is at home. Null: never. */
function endsOrThrow(ctx: Context, text: string | null): number | null {
	if (!text) return null;
	const day = /^\d{4}-\d\d-\d\d$/.test(text) ? Date.parse(text) / DAY : null;
	const ends = day === null ? Date.parse(text) : momentOf(homeZone(ctx.db), day + 1, 0);
	if (ends <= ctx.clock.now())
		throw new InputProblem([{ field: 'ends', words: 'That time has passed. Choose a later one.' }]);
	return ends;
}

/** What somebody may in a role for a part, and until when, as reasons. */
function givenFacts(ctx: Context, rights: Rights, part: { text: string; words: string }, ends: number | null): Fact[] {
	const none = part.text === '' ? [] : WHOLE.filter((a) => levelIn(rights, a) !== 'none');
	return [
		{
			words:
				part.text === '' ? 'for the whole estate' : `for what is ${part.words} alone: nothing else is seen or changed`,
			source: 'assignment'
		},
		...(none.length
			? [
					{
						words: `${none.map((a) => AREA_WORDS[a]).join(', ')}: of the whole estate, so not with it`,
						source: 'assignment',
						side: 'against' as const
					}
				]
			: []),
		...(ends === null
			? []
			: [{ words: `until ${momentWords(homeZone(ctx.db), ends)}, then it ends by itself`, source: 'assignment' }])
	];
}

/** What every plan of this area has in common: it touches accounts, not the estate. */
const accountDraft = (
	title: string,
	reasons: (string | Fact)[],
	object: string,
	step: StepSpec,
	undo: Draft['undo'],
	undoWords: string,
	blocks: string[] = []
): Draft => ({
	title,
	effects: noEffects(),
	warnings: [],
	blocks: blocks.map((words) => ({ words, side: 'against' })),
	reasons: reasons.map((r) => (typeof r === 'string' ? { words: r, source: 'roles' } : r)),
	objects: [object],
	steps: [step],
	undo,
	undoWords
});

interface OperatorFacts {
	id: number;
	name: string;
	login: string;
	disabled: number;
}

function operatorOrThrow(ctx: Context, login: string): OperatorFacts {
	const row = one<OperatorFacts>(ctx.db, 'SELECT id, name, login, disabled FROM operators WHERE login = ?', [login]);
	if (!row) throw new InputProblem([{ field: 'login', words: `There is no operator ${login}.` }]);
	return row;
}

/** Rights that a role gives: whoever gives it away has them. */
const givesRole = (ctx: Context, input: { role: string }): Rights => roleNow(ctx.db, input.role)?.rights ?? {};

const addOperator = planKind({
	kind: 'operator.add',
	words:
		'Add an operator with a first password, which is kept sealed and shown nowhere; for a part of the estate, and until a moment, where that is said',
	secrets: ['password'],
	area: 'identity',
	undo: 'back',
	gives: givesRole,
	schema: v.strictObject({
		login: LOGIN,
		name: v.pipe(v.string(), v.trim(), v.nonEmpty('Write a name.'), v.maxLength(100, 'At most 100 characters.')),
		role: ROLE,
		part: PART,
		ends: ENDS,
		password: v.pipe(
			v.string(),
			v.check(
				(p) => isSealed(p) || passwordProblem(p) !== 'length',
				`From ${PASSWORD.least} to ${PASSWORD.most} characters.`
			),
			v.check(
				(p) => isSealed(p) || passwordProblem(p) !== 'common',
				'This is among the passwords that everybody tries first: choose another.'
			)
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		if (one(ctx.db, 'SELECT 1 FROM operators WHERE login = ?', [input.login]))
			throw new InputProblem([{ field: 'login', words: 'There is an operator with this login already.' }]);
		const password = openSecret(ctx.vault, input.password);
		if (password !== null && passwordProblem(password, wordsAbout(ctx.db, input)) !== null)
			throw new InputProblem([
				{ field: 'password', words: 'It is made of their name or the estate’s, which is tried first: choose another.' }
			]);
		const role = roleOrThrow(ctx, input.role);
		const part = partOrThrow(ctx, input.part);
		const ends = endsOrThrow(ctx, input.ends);
		return accountDraft(
			`Add operator ${input.name} as ${role.name}${part.words && ` ${part.words}`}`,
			[`${input.name} may then do what the role ${role.name} may`, ...givenFacts(ctx, role.rights, part, ends)],
			`operator/${input.login}`,
			stepOf('operator.write', 'Write the account', { ...input, part: part.text, ends }, 200),
			{ kind: 'operator.disable', input: { login: input.login, disabled: true } },
			'Yes: the account is shut again. It stays on record.'
		);
	}
});

const assignRole = planKind({
	kind: 'assignment.give',
	words: 'Give an operator a role, for the whole estate or a part of it, until a moment or for good',
	area: 'identity',
	undo: 'back',
	gives: givesRole,
	schema: v.strictObject({ login: v.string(), role: ROLE, part: PART, ends: ENDS }),
	async draft(ctx, input): Promise<Draft> {
		const o = operatorOrThrow(ctx, input.login);
		const role = roleOrThrow(ctx, input.role);
		const part = partOrThrow(ctx, input.part);
		const ends = endsOrThrow(ctx, input.ends);
		const theirs = assignmentsOf(ctx.db, o.id, ctx.clock.now());
		const has = theirs.some((a) => a.role === role.id && a.part === part.text && a.ends === ends);
		return accountDraft(
			`Make ${o.name} ${role.name}${part.words && ` ${part.words}`}`,
			[
				...givenFacts(ctx, role.rights, part, ends),
				...theirs.map((a) => `beside it they are ${a.name}${a.part && ` (${a.part})`}: they act in one at a time`)
			],
			`operator/${o.login}`,
			stepOf('assignment.write', 'Write the assignment', { ...input, role: role.id, part: part.text, ends }, 200),
			{ kind: 'assignment.take', input: { login: o.login, role: role.id, part: part.text } },
			'Yes: it is taken from them again.',
			has ? [`${o.name} is just that already`] : []
		);
	}
});

const takeRole = planKind({
	kind: 'assignment.take',
	words: 'Take a role from an operator that they have for the whole estate or a part of it',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({ login: v.string(), role: ROLE, part: PART }),
	async draft(ctx, input): Promise<Draft> {
		const o = operatorOrThrow(ctx, input.login);
		const now = ctx.clock.now();
		const theirs = assignmentsOf(ctx.db, o.id, now);
		const a = theirs.find((t) => t.role === input.role && t.part === input.part);
		if (!a)
			throw new InputProblem([
				{ field: 'role', words: `${o.name} is not ${input.role}${input.part && ` (${input.part})`}.` }
			]);
		const rest = theirs.filter((t) => t.id !== a.id);
		const lastOwner = a.role === 'owner' && a.part === '' && a.ends === null && otherOwners(ctx.db, a.id, now) === 0;
		return accountDraft(
			`${o.name} is no longer ${a.name}${a.part && ` (${a.part})`}`,
			[
				'what they are in the middle of is refused from then on',
				rest.length
					? `they stay ${rest.map((t) => t.name).join(' and ')}`
					: 'they can sign in no more: they are there for nothing else'
			],
			`operator/${o.login}`,
			stepOf('assignment.end', 'End the assignment', { assignment: a.id }, 200),
			{
				kind: 'assignment.give',
				input: {
					login: o.login,
					role: a.role,
					part: a.part,
					ends: a.ends === null ? null : new Date(a.ends).toISOString()
				}
			},
			`Yes: they are ${a.name} again.`,
			lastOwner ? ['there would be no owner of the whole estate left, for good'] : []
		);
	}
});

const LEVEL = v.picklist(LEVELS, `Write ${LEVELS.join(', ')}.`);

const putRole = planKind({
	kind: 'role.put',
	words: 'Make a role out of rights, or change one that was made here',
	area: 'identity',
	undo: 'back',
	gives: (_ctx, input) => input.rights as Rights,
	schema: v.strictObject({
		/** Of one that is there; left out: a new one. */
		id: v.optional(v.string()),
		name: v.pipe(v.string(), v.trim(), v.nonEmpty('Give the role a name.'), v.maxLength(40, 'At most 40 characters.')),
		note: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(200, 'At most 200 characters.')), ''),
		rights: v.record(v.picklist(STAFF_AREAS, 'There is no such area.'), LEVEL)
	}),
	async draft(ctx, input): Promise<Draft> {
		const was = input.id === undefined ? null : (madeRoles(ctx.db).find((r) => r.id === input.id) ?? null);
		// One that was removed is put back as what it was.
		if (input.id !== undefined && !was && !everMade(ctx, input.id))
			throw new InputProblem([
				{
					field: 'id',
					words: ROLES.some((r) => r === input.id)
						? 'A role that ships stays as it is.'
						: `There is no role ${input.id}.`
				}
			]);
		const named = madeRoles(ctx.db).find((r) => r.name.toLowerCase() === input.name.toLowerCase() && r.id !== was?.id);
		if (named || ROLES.some((r) => r === input.name.toLowerCase()))
			throw new InputProblem([{ field: 'name', words: 'There is a role with this name already.' }]);
		const rights = Object.fromEntries(Object.entries(input.rights).filter(([, level]) => level !== 'none')) as Rights;
		if (Object.keys(rights).length === 0)
			throw new InputProblem([{ field: 'rights', words: 'It may do nothing: give it a level in one area at least.' }]);
		const id =
			input.id ?? freeSlug(input.name, 'role', (slug) => roleNow(ctx.db, slug) !== null || everMade(ctx, slug));
		const moved = STAFF_AREAS.filter((a) => levelIn(rights, a) !== levelIn(was?.rights ?? {}, a));
		const holders = was ? holdersOf(ctx.db, was.id, ctx.clock.now()) : [];
		const same = was !== null && moved.length === 0 && was.name === input.name && was.note === input.note;
		return accountDraft(
			was ? `Change the role ${was.name}` : `Make the role ${input.name}`,
			[
				...moved.map((a) =>
					was
						? `${AREA_WORDS[a]}: ${levelIn(rights, a)} (it was ${levelIn(was.rights, a)})`
						: `${AREA_WORDS[a]}: ${levelIn(rights, a)}`
				),
				...(holders.length
					? [`${holders.join(', ')} ${holders.length === 1 ? 'has' : 'have'} it: for them from then on`]
					: [])
			],
			`role/${id}`,
			stepOf('role.write', 'Write the role', { id, name: input.name, note: input.note, rights }, 200),
			was
				? { kind: 'role.put', input: { id, name: was.name, note: was.note, rights: was.rights as typeof input.rights } }
				: { kind: 'role.remove', input: { id } },
			was ? 'Yes: it is as it was.' : 'Yes: it is removed, as long as nobody has it.',
			same ? ['nothing in it is different'] : []
		);
	}
});

const removeRole = planKind({
	kind: 'role.remove',
	words: 'Remove a role that was made here and that nobody has',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({ id: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const was = madeRoles(ctx.db).find((r) => r.id === input.id);
		if (!was) throw new InputProblem([{ field: 'id', words: `There is no role ${input.id} that was made here.` }]);
		const holders = holdersOf(ctx.db, was.id, ctx.clock.now());
		const tokens = tokensOf(ctx.db).filter((t) => t.role === was.id && t.revoked_at === null);
		return accountDraft(
			`Remove the role ${was.name}`,
			[],
			`role/${was.id}`,
			stepOf('role.end', 'End the role', { id: was.id }, 200),
			{
				kind: 'role.put',
				input: { id: was.id, name: was.name, note: was.note, rights: was.rights as Record<never, never> }
			},
			'Yes: it is put back.',
			[
				...(holders.length ? [`${holders.join(', ')} ${holders.length === 1 ? 'has' : 'have'} it`] : []),
				...(tokens.length
					? [
							`the ${tokens.length === 1 ? 'token' : 'tokens'} ${tokens.map((t) => t.name).join(', ')} ${tokens.length === 1 ? 'has' : 'have'} it`
						]
					: [])
			]
		);
	}
});

/** A role that is over keeps its id: what was done by it stays told apart. */
const everMade = (ctx: Context, id: string): boolean =>
	one(ctx.db, 'SELECT 1 FROM made_roles WHERE id = ? LIMIT 1', [id]) !== undefined;

/** Whether nobody but them is an owner of the whole estate for good. */
function lastOwner(ctx: Context, operator: number): boolean {
	const now = ctx.clock.now();
	return assignmentsOf(ctx.db, operator, now).some(
		(a) => a.role === 'owner' && a.part === '' && a.ends === null && otherOwners(ctx.db, a.id, now) === 0
	);
}

const disable = planKind({
	kind: 'operator.disable',
	words: 'Shut an operator’s account, or open it again',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({ login: v.string(), disabled: v.boolean() }),
	async draft(ctx, input): Promise<Draft> {
		const o = operatorOrThrow(ctx, input.login);
		const blocks = [
			...((o.disabled === 1) === input.disabled ? [`the account is ${input.disabled ? 'shut' : 'open'} already`] : []),
			...(input.disabled && lastOwner(ctx, o.id) ? ['there would be no owner of the whole estate left, for good'] : [])
		];
		return accountDraft(
			`${input.disabled ? 'Shut' : 'Open'} the account of ${o.name}`,
			[input.disabled ? 'their sign-ins end at once' : 'they can sign in again'],
			`operator/${o.login}`,
			stepOf('operator.disable', 'Write the account', input, 200),
			{ kind: 'operator.disable', input: { login: o.login, disabled: !input.disabled } },
			'Yes.',
			blocks
		);
	}
});

const forgetFactor = planKind({
	kind: 'operator.forget-factor',
	words: 'Forget an operator’s second factor, passkeys and recovery codes: they have lost them, and set them up anew',
	area: 'identity',
	undo: 'never',
	schema: v.strictObject({ login: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const o = operatorOrThrow(ctx, input.login);
		return accountDraft(
			`Forget the second factor of ${o.name}`,
			['their sign-ins end at once; their password alone lets them in until they set up another'],
			`operator/${o.login}`,
			stepOf('operator.forget-factor', 'Forget it', input, 200),
			null,
			'No: they set up another.',
			hasFactor(ctx.db, { kind: 'operator', id: o.id }) ? [] : [`${o.name} has none`]
		);
	}
});

const endSignIns = planKind({
	kind: 'operator.end-sign-ins',
	words: 'End the sign-ins of an operator, or of all of them: whoever goes on signs in again',
	area: 'identity',
	undo: 'never',
	schema: v.strictObject({ login: v.nullable(v.string('Say whose, or null for all.')) }),
	async draft(ctx, input): Promise<Draft> {
		const o = input.login === null ? null : operatorOrThrow(ctx, input.login);
		const n = signInsOf(ctx.db, { kind: 'operator', id: o?.id ?? null });
		return accountDraft(
			o ? `End the sign-ins of ${o.name}` : 'End the sign-ins of all operators',
			[
				`${countWords(n, 'sign-in')} ${n === 1 ? 'ends' : 'end'} at once${o ? '' : ', yours among them'}: whoever goes on signs in again`,
				'tokens go on: each is revoked by itself'
			],
			o ? `operator/${o.login}` : 'operators/sign-ins',
			stepOf('operator.end-sign-ins', 'End them', { operator: o?.id ?? null }, 200),
			null,
			'No: they sign in again.',
			n === 0 ? [o ? `${o.name} is signed in nowhere` : 'nobody is signed in'] : []
		);
	}
});

const createToken = planKind({
	kind: 'token.create',
	words: 'Create an API token; its secret comes as a SHA-256 hash, which is kept sealed',
	secrets: ['hash'],
	area: 'identity',
	undo: 'back',
	gives: givesRole,
	schema: v.strictObject({
		name: v.pipe(v.string(), v.trim(), v.nonEmpty('Give the token a name.'), v.maxLength(40, 'At most 40 characters.')),
		role: ROLE,
		part: PART,
		ends: ENDS,
		hash: v.pipe(
			v.string(),
			v.check((h) => isSealed(h) || /^[0-9a-f]{64}$/.test(h), 'A SHA-256 hash is needed.')
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		if (one(ctx.db, 'SELECT 1 FROM tokens WHERE name = ? AND revoked_at IS NULL', [input.name]))
			throw new InputProblem([{ field: 'name', words: 'There is a token with this name already.' }]);
		// A program that tells of people has a role that no operator has.
		const role = roleOrThrow(ctx, input.role, ['directory']);
		const part = partOrThrow(ctx, input.part);
		if (role.id === 'directory' && part.text !== '')
			throw new InputProblem([{ field: 'part', words: 'Who tells of people tells of all of them.' }]);
		const ends = endsOrThrow(ctx, input.ends);
		return accountDraft(
			`Create API token ${input.name} as ${role.name}${part.words && ` ${part.words}`}`,
			[`whoever holds the secret may do what the role ${role.name} may`, ...givenFacts(ctx, role.rights, part, ends)],
			`token/${input.name}`,
			stepOf('token.write', 'Keep the hash of the secret', { ...input, part: part.text, ends }, 200),
			{ kind: 'token.revoke', input: { name: input.name } },
			'Yes: the token is revoked.'
		);
	}
});

const revokeToken = planKind({
	kind: 'token.revoke',
	words: 'Revoke an API token',
	area: 'identity',
	undo: 'never',
	schema: v.strictObject({ name: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		if (!one(ctx.db, 'SELECT 1 FROM tokens WHERE name = ? AND revoked_at IS NULL', [input.name]))
			throw new InputProblem([{ field: 'name', words: `There is no token ${input.name}.` }]);
		return accountDraft(
			`Revoke API token ${input.name}`,
			['whatever uses it is refused from then on'],
			`token/${input.name}`,
			stepOf('token.revoke', 'Revoke the token', input, 200),
			null,
			'No: create another.'
		);
	}
});

const heads = planKind({
	kind: 'record.heads',
	words: 'Say where signed heads of the change log are sent: by mail, to a web hook, or nowhere',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({
		mail: v.pipe(
			v.string(),
			v.trim(),
			v.maxLength(200, 'At most 200 characters.'),
			v.check((m) => m === '' || /^[^\s@]+@[^\s@]+$/.test(m), 'Write an address such as records@kept.example.')
		),
		hook: v.pipe(
			v.string(),
			v.trim(),
			v.maxLength(500, 'At most 500 characters.'),
			v.check(
				(h) => h === '' || /^https?:$/.test(URL.parse(h)?.protocol ?? ''),
				'Write an address that begins with https://.'
			)
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = { mail: setting(ctx.db, HEADS_MAIL) ?? '', hook: setting(ctx.db, HEADS_HOOK) ?? '' };
		const to = [input.mail, input.hook].filter(Boolean);
		return accountDraft(
			to.length ? `Send heads of the change log to ${to.join(' and ')}` : 'Send heads of the change log nowhere',
			[
				'a head is a line of a few hundred characters: how far the log had come, when, signed',
				'once an hour at most, when the log has grown; verify --against compares the log with what arrived'
			],
			'record/heads',
			stepOf('record.heads', 'Write where they are sent', input, 200),
			{ kind: 'record.heads', input: now },
			'Yes: they are sent where they were sent before.',
			now.mail === input.mail && now.hook === input.hook ? ['nothing in it is different'] : []
		);
	}
});

const number = (words: string) =>
	v.optional(
		v.nullable(v.pipe(v.number(words), v.integer(words), v.minValue(0, words), v.maxValue(1_000_000, words))),
		null
	);

const consent = planKind({
	kind: CONSENT_KIND,
	words:
		'Say which plans wait for the consent of another: by kind, and by how many people, sessions or machines they touch',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({
		kinds: v.pipe(v.array(v.string()), v.maxLength(300, 'There are not so many kinds.')),
		people: number('A whole number, or nothing.'),
		sessions: number('A whole number, or nothing.'),
		machines: number('A whole number, or nothing.')
	}),
	async draft(ctx, input): Promise<Draft> {
		const unknown = input.kinds.filter((k) => !planKindOf(k));
		if (unknown.length)
			throw new InputProblem([{ field: 'kinds', words: `There is no kind of plan called ${unknown.join(', ')}.` }]);
		const next: ConsentRules = { ...input, kinds: [...new Set(input.kinds)].sort() };
		const was = consentRules(ctx.db);
		const now = ctx.clock.now();
		const others = operators(ctx.db, now).filter(
			(o) =>
				!o.disabled &&
				o.assignments.some((a) => may(actingAs(ctx.db, a.role, a.part)?.rights ?? {}, 'identity', 'commit'))
		);
		const over = (n: number | null, many: string) => (n === null ? [] : [`whatever touches over ${n} ${many}`]);
		return {
			...accountDraft(
				asksAny(next) ? 'Let plans wait for the consent of another' : 'Let no plan wait for the consent of another',
				[
					...next.kinds.map((k) => planKindOf(k)!.words),
					...over(next.people, 'people'),
					...over(next.sessions, 'sessions'),
					...over(next.machines, 'machines'),
					...(asksAny(next)
						? [
								'this itself waits from then on, as long as anything does',
								'nobody consents to their own; what is committed without, in an emergency, is told to everybody'
							]
						: [])
				],
				'consent/rules',
				stepOf('consent.write', 'Write what waits', next, 200),
				{ kind: CONSENT_KIND, input: was },
				'Yes: what waited before waits again.',
				JSON.stringify(next) === JSON.stringify({ ...was, kinds: [...was.kinds].sort() })
					? ['nothing in it is different']
					: []
			),
			warnings:
				asksAny(next) && others.length < 2
					? [
							{
								words: `nobody but ${others[0]?.name ?? 'you'} may consent to a change of this itself: without another, only an emergency changes it`,
								side: 'against',
								source: 'operators'
							}
						]
					: []
		};
	}
});

const HOURS = (limits: { least: number; most: number }, words: string) =>
	v.pipe(v.number(words), v.integer(words), v.minValue(limits.least, words), v.maxValue(limits.most, words));

const staffSignIn = planKind({
	kind: 'operators.sign-in',
	words: 'Say how operators sign in: in which roles nobody acts without a second factor, and when a sign-in ends (ms)',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({
		factorFor: v.pipe(v.array(v.string()), v.maxLength(200, 'There are not so many roles.')),
		idle: HOURS(STAFF_LIMITS.idle, 'From 5 minutes to a day.'),
		most: HOURS(STAFF_LIMITS.most, 'From an hour to 30 days.')
	}),
	async draft(ctx, input): Promise<Draft> {
		const roles = [...new Set(input.factorFor)].sort();
		for (const id of roles) roleOrThrow(ctx, id);
		if (input.idle > input.most)
			throw new InputProblem([{ field: 'idle', words: 'It ends without use no later than in any case.' }]);
		const next = { ...input, factorFor: roles };
		const was = staffPolicy(ctx.db);
		const without = operators(ctx.db, ctx.clock.now()).filter(
			(o) => !o.disabled && !o.factor && o.assignments.some((a) => roles.includes(a.role))
		);
		return {
			...accountDraft(
				'Set how operators sign in',
				[
					roles.length
						? `nobody acts as ${roles.join(', ')} without a second factor`
						: 'no role asks for a second factor',
					`a sign-in ends after ${durationWords(input.idle)} without use, and after ${durationWords(input.most)} in any case`
				],
				'settings/operators',
				stepOf('operators.sign-in', 'Write how they sign in', next, 200),
				{ kind: 'operators.sign-in', input: was },
				'Yes: as it was.',
				JSON.stringify(next) === JSON.stringify({ ...was, factorFor: [...was.factorFor].sort() })
					? ['nothing in it is different']
					: []
			),
			warnings: without.length
				? [
						{
							words: `${without.map((o) => o.name).join(', ')} ${without.length === 1 ? 'has' : 'have'} none yet: they see to that first when they come in`,
							side: 'against' as const,
							source: 'operators'
						}
					]
				: []
		};
	}
});

const readers = planKind({
	kind: 'record.readers',
	words:
		'Say whether the record of sign-ins, refusals and looks is read by auditors alone: by nobody whose role changes anything',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({ auditorsAlone: v.boolean() }),
	async draft(ctx, input): Promise<Draft> {
		return accountDraft(
			input.auditorsAlone ? 'Let auditors alone read the record' : 'Let whoever may read the record',
			[
				input.auditorsAlone
					? 'whoever may change anything, owners too, reads it no more'
					: 'owners read it, and whose role says so'
			],
			'record/readers',
			stepOf('record.readers', 'Write who reads it', input, 200),
			{ kind: 'record.readers', input: { auditorsAlone: !input.auditorsAlone } },
			'Yes: as it was.',
			auditorsAlone(ctx.db) === input.auditorsAlone ? ['it is so already'] : []
		);
	}
});

export const operatorPlans = [
	consent,
	staffSignIn,
	readers,
	addOperator,
	assignRole,
	takeRole,
	putRole,
	removeRole,
	disable,
	forgetFactor,
	endSignIns,
	createToken,
	revokeToken,
	heads
];
