import { PROTOCOLS } from '$lib/core/estate/schema';
import * as v from 'valibot';
import { noEffects } from '$lib/core/plans/effects';
import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { poolsAt } from '../pools';
import type { Context } from '../context';
import { one } from '../db';
import { packageAt } from '../packages';
import { wholeOrder } from '../plans/fields';
import type { StepInput } from '../jobs/step';
import { InputProblem, planKind, type Draft, type StepSpec } from '../plans/kind';
import type { AccessChange } from '$lib/core/access/compare';
import { openTo } from './door';
import { insideName } from './inside';
import { changeFacts, effectsOf } from './access-change';
import { licenceFacts, peopleInUse } from './people-using';
import { type AppRef, grantsAt, keepIcon, knowsIcon, type PublicationRow, publicationsAt } from '../publications';
import { landingFacts, movedFacts } from './landing';
import { mistakable, servingOf } from './remarks';
import { lineOf } from './serving';
import { slug } from '../plans/slug';

const text = (least: string, most: number) =>
	v.pipe(v.string(), v.trim(), v.nonEmpty(least), v.maxLength(most, `At most ${most} characters.`));

const schema = v.strictObject({
	id: v.optional(v.string()),
	name: text('Give it a name for people.', 60),
	internalName: text('Give it a name for us.', 60),
	description: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(300, 'At most 300 characters.')), ''),
	icon: v.optional(v.string(), 'desktop'),
	/** What it opens: a launch target of a package, or of an image (`image/<line>`); a desktop where nothing is said. */
	app: v.optional(v.nullable(v.strictObject({ package: v.string(), target: v.string() })), null),
	/** What it opens in a browser alone, with no machine: `service/depot`, or `site/tides.example`. */
	reaches: v.optional(v.nullable(v.pipe(v.string(), v.trim(), v.maxLength(300, 'At most 300 characters.'))), null),
	pools: v.optional(v.array(v.string()), []),
	protocol: v.optional(v.picklist(PROTOCOLS, 'Choose stream, framebuffer or spice.'), 'stream'),
	look: v.optional(
		v.strictObject({
			window: v.optional(v.picklist(['window', 'full'], 'Choose window or full.')),
			monitors: v.optional(v.picklist(['one', 'all'], 'Choose one or all.')),
			group: v.optional(v.pipe(v.string(), v.trim(), v.maxLength(40, 'At most 40 characters.')))
		}),
		{}
	),
	/** Teams that see it; none: whoever it is granted to. */
	visible: v.optional(v.array(v.string()), []),
	off: v.optional(v.boolean(), false),
	/** Login of whoever answers requests for it; empty: nobody can ask. */
	owner: v.optional(v.nullable(v.pipe(v.string(), v.trim())), null),
	/** How many people may hold it. */
	licences: v.optional(
		v.nullable(v.pipe(v.number('Write a number.'), v.integer('Write a whole number.'), v.minValue(1, 'At least 1.'))),
		null
	),
	beyond: v.optional(v.picklist(['warn', 'block'], 'Choose warn or block.'), 'warn')
});
type Input = v.InferOutput<typeof schema>;

/** What a publication would be after an input, and what is wrong with it. Throws InputProblem. */
async function check(ctx: Context, input: Input, own: string | null): Promise<Omit<PublicationRow, 'since' | 'id'>> {
	const { db } = ctx;
	const now = ctx.clock.now();
	const problems: { field: string; words: string }[] = [];
	const others = publicationsAt(db, now).filter((p) => p.id !== own);
	const known = new Set(poolsAt(db, now).map((p) => p.id));
	const reaches = input.reaches || null;
	if (reaches === null && input.pools.length === 0)
		problems.push({ field: 'pools', words: 'Choose at least one pool that serves it.' });
	if (reaches !== null) problems.push(...insideProblems(ctx, { ...input, reaches }));
	const missing = input.pools.find((p) => !known.has(p));
	if (missing !== undefined) problems.push({ field: 'pools', words: `There is no pool called ${missing}.` });
	if (others.some((p) => sounds(p.name) === sounds(input.name)))
		problems.push({ field: 'name', words: 'People would see two of that name. Choose another.' });
	if (others.some((p) => p.internalName === input.internalName))
		problems.push({ field: 'internalName', words: 'There is a publication with this name already.' });
	const icon = input.icon === 'package' ? await iconOf(ctx, input.app) : input.icon;
	if (icon === null) problems.push({ field: 'icon', words: 'The package has no picture for it that can be shown.' });
	else if (!knowsIcon(db, icon)) problems.push({ field: 'icon', words: 'There is no such picture.' });
	const team = input.visible.find((t) => !one(db, 'SELECT 1 FROM teams WHERE id = ? AND gone = 0', [t]));
	if (team !== undefined) problems.push({ field: 'visible', words: `There is no team called ${team}.` });
	const owner = input.owner === '' ? null : input.owner;
	if (owner !== null && !one(db, 'SELECT 1 FROM people WHERE login = ?', [owner]))
		problems.push({ field: 'owner', words: `The directory knows nobody called ${owner}.` });
	if (input.app) problems.push(...(await appProblems(ctx, input.app)));
	if (problems.length) throw new InputProblem(problems);
	return {
		...input,
		reaches,
		icon: icon!,
		owner,
		look: {
			window: input.look.window ?? (input.app ? 'window' : 'full'),
			monitors: input.look.monitors ?? 'one',
			group: input.look.group ?? ''
		}
	};
}

/** What is wrong with what is to be opened in a browser alone. */
function insideProblems(
	ctx: Context,
	{ reaches, app, pools }: Input & { reaches: string }
): { field: string; words: string }[] {
	if (app) return [{ field: 'reaches', words: 'It opens an app already: a browser alone opens no app.' }];
	if (pools.length)
		return [{ field: 'pools', words: 'What is opened in a browser alone needs no machine: choose no pool.' }];
	return insideName(ctx.db, reaches, ctx.clock.now()) === null
		? [{ field: 'reaches', words: 'There is no such private service or site: write service/… or site/….' }]
		: [];
}

const sounds = (name: string) => name.toLowerCase().replace(/\s+/g, ' ');

/** The picture that a package has for what it starts, put away; null where it has none that can be shown. */
async function iconOf(ctx: Context, app: AppRef | null): Promise<string | null> {
	const found = (app ? packageAt(ctx.db, app.package, ctx.clock.now())?.versions.toReversed() : undefined)?.find((x) =>
		x.spec.targets.some((t) => t.id === app!.target && t.icon)
	);
	if (!found) return null;
	const { icon } = found.spec.targets.find((t) => t.id === app!.target)!;
	const bytes = await ctx.packer.packages.file(found.manifest, icon).catch(() => null);
	const kept = bytes && keepIcon(ctx.db, bytes);
	return kept && 'icon' in kept ? kept.icon : null;
}

async function appProblems(ctx: Context, app: AppRef): Promise<{ field: string; words: string }[]> {
	const line = lineOf(app);
	if (line === null) {
		const p = packageAt(ctx.db, app.package, ctx.clock.now());
		if (!p) return [{ field: 'app', words: `There is no package called ${app.package}.` }];
		return p.versions.some((x) => x.spec.targets.some((t) => t.id === app.target))
			? []
			: [{ field: 'app', words: `No version of ${app.package} starts ${app.target}.` }];
	}
	const targets = await imageTargetsOf(ctx, line);
	return targets.some((t) => t.id === app.target)
		? []
		: [{ field: 'app', words: `No image of ${line} starts ${app.target}.` }];
}

/** What the newest released version of a line starts. */
export async function imageTargetsOf(ctx: Context, line: string) {
	const newest = one<{ number: string }>(
		ctx.db,
		`SELECT v.number FROM versions v WHERE v.line_id = ? AND NOT EXISTS (SELECT 1 FROM version_holds h WHERE h.line_id = v.line_id AND h.number = v.number AND h.until > ?)
		 ORDER BY v.built_at DESC LIMIT 1`,
		[line, ctx.clock.now()]
	);
	return newest ? await ctx.providers.builder.targets(line, newest.number).catch(() => []) : [];
}

/**
 * What there is to say of a publication before it is written: which pools serve it, and what it could be taken for. One that
 * nobody could open is not made; one that is there may be changed all the same.
 */
function remarks(
	ctx: Context,
	p: Omit<PublicationRow, 'since' | 'id'>,
	own: string | null
): Pick<Draft, 'warnings' | 'blocks' | 'reasons'> {
	const now = ctx.clock.now();
	const { can, cannot } = servingOf(ctx.db, p, now);
	const others = publicationsAt(ctx.db, now).filter((x) => x.id !== own);
	return {
		warnings: [...cannot, ...mistakable(p, others)],
		blocks:
			can.length === 0 && own === null
				? [{ words: 'none of its pools can serve it: nobody could open it', side: 'against' }]
				: [],
		reasons: can
	};
}

const TELL: StepSpec[] = [
	{ kind: 'broker.tell', words: 'Tell the gateways', input: {}, expected: 500 },
	{ kind: 'agents.tell', words: 'Tell the agents', input: {}, expected: 500 }
];
const steps = (input: StepInput<'publication.write'>): StepSpec[] => [
	{ kind: 'publication.write', words: 'Write the publication', input, expected: 200 },
	...TELL
];

const createPublication = planKind({
	kind: 'publication.create',
	words: 'Publish a desktop, or an app of a package or an image',
	area: 'publishing',
	undo: 'back',
	schema,
	async draft(ctx, input): Promise<Draft> {
		const id = input.id ?? slug(input.internalName);
		if (!id || publicationsAt(ctx.db, ctx.clock.now()).some((p) => p.id === id))
			throw new InputProblem([{ field: 'internalName', words: 'There is a publication with this name already.' }]);
		const p = await check(ctx, input, null);
		const said = remarks(ctx, p, null);
		return {
			title: `Publish ${input.name}`,
			effects: noEffects(),
			...said,
			reasons: [...said.reasons, { words: 'nobody sees it until it is granted', source: 'grants' }],
			objects: [`publication/${id}`],
			steps: steps({ ...p, id }),
			undo: { kind: 'publication.remove', input: { publication: id } },
			undoWords: 'Yes: it is taken off again.'
		};
	}
});

const createMany = planKind({
	kind: 'publication.create-many',
	words: 'Publish several launch targets of a package, or of an image, at once',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({
		package: v.string(),
		targets: v.pipe(v.array(v.string()), v.minLength(1, 'Choose at least one of what it starts.')),
		pools: v.pipe(v.array(v.string()), v.minLength(1, 'Choose at least one pool that serves it.')),
		group: v.optional(v.string(), '')
	}),
	async draft(ctx, input): Promise<Draft> {
		const line = lineOf({ package: input.package, target: '' });
		const targets =
			line === null
				? (packageAt(ctx.db, input.package, ctx.clock.now())?.versions.at(-1)?.spec.targets ?? [])
				: await imageTargetsOf(ctx, line);
		const said: Pick<Draft, 'warnings' | 'blocks' | 'reasons'> = { warnings: [], blocks: [], reasons: [] };
		const rows: Omit<PublicationRow, 'since'>[] = [];
		const there = publicationsAt(ctx.db, ctx.clock.now());
		for (const t of input.targets) {
			const name = targets.find((x) => x.id === t)?.name ?? t;
			const free = (n: string) => !there.some((p) => sounds(p.name) === sounds(n)) && !rows.some((r) => r.name === n);
			const internalName = `${name} of ${line ?? input.package}`;
			const p = await check(
				ctx,
				v.parse(schema, {
					name: free(name) ? name : internalName,
					internalName,
					icon: (await iconOf(ctx, { package: input.package, target: t })) ?? 'app',
					app: { package: input.package, target: t },
					pools: input.pools,
					look: { group: input.group }
				}),
				null
			);
			const more = remarks(ctx, p, null);
			said.warnings.push(...more.warnings.map((w) => ({ ...w, words: `${p.name}: ${w.words}` })));
			said.blocks.push(...more.blocks.map((w) => ({ ...w, words: `${p.name}: ${w.words}` })));
			said.reasons.push(...more.reasons.map((w) => ({ ...w, words: `${p.name}: ${w.words}` })));
			rows.push({ ...p, id: slug(internalName) });
		}
		return {
			title: `Publish ${countWords(rows.length, 'app')} of ${input.package}`,
			effects: noEffects(),
			...said,
			objects: rows.map((r) => `publication/${r.id}`),
			steps: [
				...rows.map((r): StepSpec => ({
					kind: 'publication.write',
					words: `Write ${r.name}`,
					input: r,
					expected: 200
				})),
				...TELL
			],
			undo: { kind: 'publication.remove-many', input: { publications: rows.map((r) => r.id) } },
			undoWords: 'Yes: all of them are taken off again.'
		};
	}
});

/** Whom a publication that is changed lets in and keeps out, by its own door, where they land, and what its licences come to. */
function doorChange(ctx: Context, before: PublicationRow, after: PublicationRow) {
	const now = ctx.clock.now();
	const [had, has] = [openTo(ctx.db, before, now), openTo(ctx.db, after, now)];
	const change: AccessChange = {
		gains: [...has].filter(([login]) => !had.has(login)).map(([id, name]) => ({ id, name })),
		loses: [...had].filter(([login]) => !has.has(login)).map(([id, name]) => ({ id, name })),
		partly: []
	};
	const { warnings, reasons } = changeFacts(change);
	const gains = change.gains.length ? reasons.slice(0, 1) : [];
	const licences = licenceFacts(ctx.db, after, now);
	const landing = landingFacts(ctx.db, after, change.gains, now);
	const stays = [...has.keys()].filter((login) => had.has(login));
	return {
		effects: effectsOf(change),
		// Fewer licences than holders are a fact, not a wish: said, whatever happens to those who come after.
		warnings: [...warnings, ...licences.warnings, ...licences.blocks, ...landing.warnings],
		reasons: [...gains, ...licences.reasons, ...landing.reasons, ...movedFacts(ctx.db, before, after, stays, now)]
	};
}

const inputOf = ({ since: _since, ...p }: PublicationRow) => p;

const changePublication = planKind({
	kind: 'publication.change',
	words: 'Change a publication: names, picture, what it opens and how, who sees it, licences, which pools serve it',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ ...schema.entries, id: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const before = publicationOrThrow(ctx, input.id, 'id');
		const p = await check(ctx, input, input.id);
		const said = remarks(ctx, p, input.id);
		const change = doorChange(ctx, before, { ...p, id: input.id, since: before.since });
		return {
			title: `Change publication ${before.internalName}`,
			effects: change.effects,
			warnings: [...change.warnings, ...said.warnings],
			blocks: said.blocks,
			reasons: [...change.reasons, ...said.reasons, STAY],
			objects: [`publication/${input.id}`],
			steps: steps({ ...p, id: input.id }),
			undo: { kind: 'publication.change', input: inputOf(before) },
			undoWords: 'Yes: it is put back as it was.'
		};
	}
});

const switchPublication = planKind({
	kind: 'publication.switch',
	words: 'Switch a publication off for now, or on again; at a time, when it is committed so',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ publication: v.string(), off: v.boolean() }),
	async draft(ctx, input): Promise<Draft> {
		const before = publicationOrThrow(ctx, input.publication, 'publication');
		const using = peopleInUse(ctx.db, before, ctx.clock.now());
		const change = doorChange(ctx, before, { ...before, off: input.off });
		return {
			title: `Switch ${before.internalName} ${input.off ? 'off' : 'on'}`,
			effects: change.effects,
			warnings: change.warnings,
			blocks:
				before.off === input.off
					? [{ words: `it is ${input.off ? 'off' : 'on'} already`, side: 'against' as const }]
					: [],
			reasons: [
				...change.reasons,
				{
					words: `${countWords(using.length, 'person has', 'people have')} it open, and ${using.length === 1 ? 'keeps' : 'keep'} it`,
					source: 'measured'
				},
				{
					words: input.off
						? 'nobody can open it until it is switched on again'
						: 'whoever it is granted to can open it again',
					source: 'broker'
				}
			],
			objects: [`publication/${before.id}`],
			steps: steps({ ...inputOf(before), off: input.off }),
			undo: { kind: 'publication.switch', input: { ...input, off: !input.off } },
			undoWords: `Yes: it is switched ${input.off ? 'on' : 'off'} again.`
		};
	}
});

const orderPublications = planKind({
	kind: 'publication.order',
	words: 'Say in which order publications stand on shelves',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ order: v.array(v.string()) }),
	async draft(ctx, input): Promise<Draft> {
		const names = publicationsAt(ctx.db, ctx.clock.now()).map((p) => p.id);
		const order = wholeOrder(input.order, names, 'publication');
		return {
			title: 'Change the order on shelves',
			effects: noEffects(),
			warnings: [],
			blocks: order.every((n, i) => n === names[i]) ? [{ words: 'it is in that order already', side: 'against' }] : [],
			reasons: [{ words: `${order[0]} comes first`, source: 'publications' }],
			objects: ['publications/order'],
			steps: [{ kind: 'publication.order', words: 'Write the order', input: { order }, expected: 200 }],
			undo: { kind: 'publication.order', input: { order: names } },
			undoWords: 'Yes: the order as it was is put back.'
		};
	}
});

/** What taking publications off comes to; each has to have lost its grants before. */
function removal(ctx: Context, rows: PublicationRow[]): Pick<Draft, 'effects' | 'blocks' | 'objects' | 'steps'> {
	const grants = grantsAt(ctx.db, ctx.clock.now());
	return {
		effects: noEffects(),
		blocks: rows.flatMap((p) =>
			grants
				.filter((g) => g.publication === p.id)
				.map((g): Fact => ({
					words: `${p.internalName} is granted to ${g.toName}: take that grant back first`,
					side: 'against',
					about: { kind: 'grant', id: String(g.id) }
				}))
		),
		objects: rows.map((p) => `publication/${p.id}`),
		steps: [
			...rows.map((p): StepSpec => ({
				kind: 'publication.close',
				words: `Take ${p.internalName} off`,
				input: { publication: p.id },
				expected: 200
			})),
			...TELL
		]
	};
}
const STAY: Fact = { words: 'sessions that are open stay open', source: 'broker' };

const removePublication = planKind({
	kind: 'publication.remove',
	words: 'Take a publication off',
	area: 'publishing',
	undo: 'back',
	schema: v.strictObject({ publication: v.string() }),
	async draft(ctx, input): Promise<Draft> {
		const p = publicationOrThrow(ctx, input.publication, 'publication');
		return {
			title: `Take off ${p.internalName}`,
			...removal(ctx, [p]),
			warnings: [],
			reasons: [STAY],
			undo: { kind: 'publication.create', input: inputOf(p) },
			undoWords: 'Yes: it is published again.'
		};
	}
});

const removeMany = planKind({
	kind: 'publication.remove-many',
	words: 'Take several publications off at once',
	area: 'publishing',
	undo: 'never',
	schema: v.strictObject({ publications: v.pipe(v.array(v.string()), v.minLength(1, 'Choose at least one.')) }),
	async draft(ctx, input): Promise<Draft> {
		const rows = [...new Set(input.publications)].map((id) => publicationOrThrow(ctx, id, 'publications'));
		return {
			title: `Take off ${countWords(rows.length, 'publication')}`,
			...removal(ctx, rows),
			warnings: [],
			reasons: [STAY],
			undo: null,
			undoWords: 'Not at once: publish them again one by one.'
		};
	}
});

function publicationOrThrow(ctx: Context, id: string, field: string): PublicationRow {
	const p = publicationsAt(ctx.db, ctx.clock.now()).find((x) => x.id === id);
	if (!p) throw new InputProblem([{ field, words: `There is no publication called ${id}.` }]);
	return p;
}

export const publicationPlans = [
	createPublication,
	createMany,
	changePublication,
	switchPublication,
	orderPublications,
	removePublication,
	removeMany
];
