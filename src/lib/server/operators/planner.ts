import * as v from 'valibot';
import { STAFF, type Staff } from '$lib/core/access/rights';
import { noEffects } from '$lib/core/plans/effects';
import type { Context } from '../context';
import { HEADS_HOOK, HEADS_MAIL } from '../changes/send';
import { one, setting } from '../db';
import { InputProblem, planKind, stepOf, type Draft, type StepSpec } from '../plans/kind';
import { isSealed } from '../plans/secrets';
import { PASSWORD } from '../identity/accounts';

const staff = v.picklist(STAFF, 'Choose a role.');
/** A program that tells of people has a role that no operator has. */
const tokenRole = v.picklist([...STAFF, 'directory'], 'Choose a role.');

/** What every plan of this area has in common: it touches accounts, not the estate. */
const accountDraft = (
	title: string,
	reasons: string[],
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
	reasons: reasons.map((words) => ({ words, source: 'roles' })),
	objects: [object],
	steps: [step],
	undo,
	undoWords
});

interface OperatorFacts {
	id: number;
	name: string;
	login: string;
	role: Staff;
	disabled: number;
}

function operatorOrThrow(ctx: Context, login: string): OperatorFacts {
	const row = one<OperatorFacts>(ctx.db, 'SELECT id, name, login, role, disabled FROM operators WHERE login = ?', [
		login
	]);
	if (!row) throw new InputProblem([{ field: 'login', words: `There is no operator ${login}.` }]);
	return row;
}

const otherOwners = (ctx: Context, but: string) =>
	one<{ n: number }>(
		ctx.db,
		`SELECT count(*) AS n FROM operators WHERE role = 'owner' AND disabled = 0 AND login <> ?`,
		[but]
	)!.n;

const addOperator = planKind({
	kind: 'operator.add',
	words: 'Add an operator with a first password, which is kept sealed and shown nowhere',
	secrets: ['password'],
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({
		login: v.pipe(
			v.string(),
			v.trim(),
			v.regex(/^[a-z0-9][a-z0-9.-]{1,30}$/, 'Small letters, digits, dots and hyphens, 2 to 31 of them.')
		),
		name: v.pipe(v.string(), v.trim(), v.nonEmpty('Write a name.'), v.maxLength(100, 'At most 100 characters.')),
		role: staff,
		password: v.pipe(
			v.string(),
			v.check(
				(p) => isSealed(p) || (p.length >= PASSWORD.least && p.length <= PASSWORD.most),
				`From ${PASSWORD.least} to ${PASSWORD.most} characters.`
			)
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		if (one(ctx.db, 'SELECT 1 FROM operators WHERE login = ?', [input.login]))
			throw new InputProblem([{ field: 'login', words: 'There is an operator with this login already.' }]);
		return accountDraft(
			`Add operator ${input.name} as ${input.role}`,
			[`${input.name} may then do what the role ${input.role} may`],
			`operator/${input.login}`,
			stepOf('operator.write', 'Write the account', input, 200),
			{ kind: 'operator.disable', input: { login: input.login, disabled: true } },
			'Yes: the account is shut again. It stays on record.'
		);
	}
});

const setRole = planKind({
	kind: 'operator.set-role',
	words: 'Give an operator another role',
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({ login: v.string(), role: staff }),
	async draft(ctx, input): Promise<Draft> {
		const o = operatorOrThrow(ctx, input.login);
		const blocks = [
			...(o.role === input.role ? [`${o.name} is ${o.role} already`] : []),
			...(o.role === 'owner' && input.role !== 'owner' && otherOwners(ctx, o.login) === 0
				? ['there would be no owner left']
				: [])
		];
		return accountDraft(
			`Make ${o.name} ${input.role}`,
			[`until now ${o.role}`],
			`operator/${o.login}`,
			stepOf('operator.role', 'Write the role', input, 200),
			{ kind: 'operator.set-role', input: { login: o.login, role: o.role } },
			`Yes: back to ${o.role}.`,
			blocks
		);
	}
});

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
			...(input.disabled && o.role === 'owner' && otherOwners(ctx, o.login) === 0
				? ['there would be no owner left']
				: [])
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

const createToken = planKind({
	kind: 'token.create',
	words: 'Create an API token; its secret comes as a SHA-256 hash, which is kept sealed',
	secrets: ['hash'],
	area: 'identity',
	undo: 'back',
	schema: v.strictObject({
		name: v.pipe(v.string(), v.trim(), v.nonEmpty('Give the token a name.'), v.maxLength(40, 'At most 40 characters.')),
		role: tokenRole,
		hash: v.pipe(
			v.string(),
			v.check((h) => isSealed(h) || /^[0-9a-f]{64}$/.test(h), 'A SHA-256 hash is needed.')
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		if (one(ctx.db, 'SELECT 1 FROM tokens WHERE name = ? AND revoked_at IS NULL', [input.name]))
			throw new InputProblem([{ field: 'name', words: 'There is a token with this name already.' }]);
		return accountDraft(
			`Create API token ${input.name} as ${input.role}`,
			[`whoever holds the secret may do what the role ${input.role} may`],
			`token/${input.name}`,
			stepOf('token.write', 'Keep the hash of the secret', input, 200),
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

export const operatorPlans = [addOperator, setRole, disable, createToken, revokeToken, heads];
