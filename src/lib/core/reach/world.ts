import { compareFirmware, fullVersion } from '../endpoints/condition';
import { gather } from '../measures/gather';
import { Alike, filled, has, lowest, put, wordsFor, type Bits } from './bits';
import {
	ANYWHERE,
	endsOf,
	usedUp,
	WAYS,
	type AccessRule,
	type Circumstances,
	type Effect,
	type Otherwise,
	type Reacher,
	type Used
} from './rules';
import { NONE, Sides, type Mentions } from './mentions';
import { hoursInWeek, sweep, WEEK, type Span } from './sweep';
import { addressAt, onLine, rangeOnLine, stretchOf } from './spans';
import { PASSAGES, passagesOf, type Passage } from './channels';
import { above, Catalogue, type Service, type Target, type What } from './targets';

/** What the estate says that rules are read with. */
export interface Ground {
	catalogue: Catalogue;
	services: readonly Service[];
	/** Ranges of each site’s networks, by its id. */
	sites: ReadonlyMap<string, readonly string[]>;
	/** Each branch and those above it, by its id. */
	branches: ReadonlyMap<string, readonly string[]>;
}

/** What circumstances are told apart by. */
export const DIMENSIONS = [
	'pool',
	'address',
	'managed',
	'branch',
	'firmware',
	'locks',
	'minute',
	'onDuty',
	'holiday',
	'way'
] as const satisfies readonly (keyof Circumstances)[];
export type DimensionName = (typeof DIMENSIONS)[number];

/** Whether a rule asks anything of a dimension. */
const ASKS: Record<DimensionName, (r: AccessRule) => boolean> = {
	pool: (r) => r.pools.length > 0,
	address: (r) => r.from.length > 0,
	managed: (r) => r.device.managed === true,
	branch: (r) => r.device.branches !== undefined,
	firmware: (r) => r.device.firmware !== undefined,
	locks: (r) => r.device.locks === true,
	minute: (r) => r.when.hours !== undefined,
	onDuty: (r) => r.when.duty !== undefined,
	holiday: (r) => r.when.holidays !== undefined,
	way: (r) => r.how.length > 0
};

/** A dimension, cut into what no rule tells apart. */
export interface Dimension {
	name: DimensionName;
	/** For each class the rules that it does not keep from deciding. */
	classes: readonly Bits[];
	/** For each class circumstances that lie in it. */
	examples: readonly Partial<Circumstances>[][];
	classOf(c: Circumstances): number;
}

/** What a rule of a world is, the defaults at its end included. */
export interface Deciding {
	/** Null: it is a default. */
	rule: AccessRule | null;
	effect: Effect;
}

/** So many targets and people are remembered by what they are at most. */
const REMEMBERED = 100_000;

const WHO_KINDS = ['all', 'person', 'team', 'employment'] as const;
const WHAT_KINDS = [
	'all',
	'web',
	'site',
	'beneath',
	'category',
	'services',
	'service',
	'group',
	'channels',
	'channel'
] as const;

/** How what is asked for is found: a name beneath which everything lies stands without its star, a channel once for each of its ways. */
const mentions = (w: What): [(typeof WHAT_KINDS)[number], string][] => {
	if (w.kind === 'web' || w.kind === 'services' || w.kind === 'channels') return [[w.kind, '']];
	if (w.kind === 'site') return [w.name.startsWith('*.') ? ['beneath', w.name.slice(2)] : ['site', w.name]];
	if (w.kind === 'channel') return passagesOf(w.id).map((p) => [w.kind, passageKey(p, w.upTo)]);
	return [[w.kind, w.id]];
};
const passageKey = (passage: Passage, upTo: number | null): string => (upTo === null ? passage : `${passage} ${upTo}`);

/**
 * Rules, laid out so that what no rule tells apart is one class: of people, of targets, and of each dimension of circumstances. A class is the set of
 * rules that it lets stand, and the first rule that stands in all of them decides. The three defaults are its last rules.
 */
export class World {
	readonly deciding: readonly Deciding[];
	/** How many 32-bit words a set of its rules takes. */
	readonly words: number;
	/** Which dimensions each rule asks anything of, as bits by their order. */
	readonly asks: Uint16Array;
	readonly dimensions: readonly Dimension[];
	private readonly who: Sides<(typeof WHO_KINDS)[number]>;
	private readonly what: Sides<(typeof WHAT_KINDS)[number]>;
	private readonly groupOf: ReadonlyMap<string, string | null>;
	/** Names from which on sites are told apart: those of rules, and those of the catalogue. */
	private readonly points: ReadonlySet<string>;
	private readonly sites = new Map<string, { bits: Bits; words: readonly number[] }>();
	private readonly inner = new Map<string, { bits: Bits; words: readonly number[] }>();
	private readonly passing = new Map<string, { bits: Bits; words: readonly number[] }>();
	/** Of each way through a session, up to how many bytes rules speak of it, the fewest first. */
	private readonly sizes: ReadonlyMap<Passage, readonly number[]>;
	private readonly people = new Map<Reacher, Bits>();
	private readonly persons = new Alike();
	/** What targets come to: most are of few kinds. */
	private readonly alike = new Alike();
	private readonly kinds: { bits: Bits; words: readonly number[] }[] = [];
	/** Where stretches of addresses begin that rules tell apart, and which class each is. */
	private stretches: { begins: readonly bigint[]; classes: readonly number[] } = { begins: [], classes: [] };

	/** @param rules in their order; ids may come twice, where two books are laid over each other. */
	constructor(
		readonly rules: readonly AccessRule[],
		otherwise: Otherwise,
		readonly ground: Ground
	) {
		const web: Deciding = { rule: null, effect: otherwise.web };
		this.deciding = [
			...rules.map((rule): Deciding => ({ rule, effect: rule.effect })),
			web,
			{ rule: null, effect: otherwise.services },
			{ rule: null, effect: endsOf(otherwise).channels }
		];
		this.words = wordsFor(this.deciding.length);
		this.who = new Sides(WHO_KINDS, this.words);
		this.what = new Sides(WHAT_KINDS, this.words);
		this.groupOf = new Map(ground.services.map((s) => [s.id, s.group]));
		const points = new Set(ground.catalogue.names.keys());
		const sizes = new Map<Passage, Set<number>>();
		const add = (side: Mentions<(typeof WHAT_KINDS)[number]>, w: What, i: number) => {
			for (const [kind, id] of mentions(w)) {
				side.add(kind, id, i);
				if (w.kind === 'site') points.add(id);
			}
			if (w.kind === 'channel' && w.upTo !== null)
				for (const p of passagesOf(w.id)) sizes.set(p, (sizes.get(p) ?? new Set()).add(w.upTo));
		};
		rules.forEach((r, i) => {
			if (r.who.length === 0) this.who.inside.add('all', '', i);
			for (const w of r.who) this.who.inside.add(w.kind, w.id, i);
			for (const w of r.whoNot) this.who.outside.add(w.kind, w.id, i);
			if (r.what.length === 0) this.what.inside.add('all', '', i);
			for (const w of r.what) add(this.what.inside, w, i);
			for (const w of r.whatNot) add(this.what.outside, w, i);
		});
		this.points = points;
		this.sizes = new Map([...sizes].map(([p, of]) => [p, [...of].sort((a, b) => a - b)]));
		for (const [i, kind] of [
			[rules.length, 'web'],
			[rules.length + 1, 'services'],
			[rules.length + 2, 'channels']
		] as const) {
			this.who.inside.add('all', '', i);
			this.what.inside.add(kind, '', i);
		}
		this.asks = Uint16Array.from(this.deciding, ({ rule }) =>
			rule ? DIMENSIONS.reduce((bits, d, n) => (ASKS[d](rule) ? bits | (1 << n) : bits), 0) : 0
		);
		this.dimensions = DIMENSIONS.map((name) => this.cut(name));
	}

	/** The rules that are about somebody, worked out anew. */
	rulesFor(p: Reacher): Bits {
		return this.who.of((each) => {
			each('all', '');
			each('person', p.login);
			for (const t of p.teams) each('team', t);
			if (p.employment !== null) each('employment', p.employment);
		});
	}

	/** The rules that are about somebody. The same person is looked at once. */
	personBits(p: Reacher): Bits {
		let bits = this.people.get(p);
		if (!bits) {
			bits = this.persons.distinct[this.persons.numberOf(this.rulesFor(p))]!;
			if (this.people.size >= REMEMBERED) this.people.clear();
			this.people.set(p, bits);
		}
		return bits;
	}

	/** The rules that are about a target. */
	targetBits(t: Target): Bits {
		return this.targetRules(t).bits;
	}

	/** The same, with those of its words that have anything in them. */
	private targetRules(t: Target): { bits: Bits; words: readonly number[] } {
		const known = t.kind === 'site' ? this.sites : t.kind === 'service' ? this.inner : this.passing;
		const id = t.kind === 'site' ? t.host : t.kind === 'service' ? (t.id ?? '') : this.sizeClass(t.passage, t.bytes);
		let rules = known.get(id);
		if (!rules) {
			const bits = this.what.of(
				t.kind === 'site'
					? this.siteNames(t.host)
					: t.kind === 'service'
						? this.serviceNames(t.id)
						: this.passageNames(t.passage, t.bytes)
			);
			rules = this.kinds[this.alike.numberOf(bits)] ??= { bits, words: filled(bits) };
			if (known.size >= REMEMBERED) known.clear();
			known.set(id, rules);
		}
		return rules;
	}

	private siteNames(host: string): Parameters<typeof this.what.of>[0] {
		const category = this.ground.catalogue.categoryOf(host);
		return (each) => {
			each('all', '');
			each('web', '');
			each('site', host);
			for (const n of above(host)) each('beneath', n);
			if (category !== null) each('category', category);
		};
	}
	private serviceNames(id: string | null): Parameters<typeof this.what.of>[0] {
		const group = id === null ? null : this.groupOf.get(id);
		return (each) => {
			each('all', '');
			each('services', '');
			if (id !== null) each('service', id);
			if (group != null) each('group', group);
		};
	}

	/** A way through a session, and each bound of it that so many bytes keep within. */
	private passageNames(passage: Passage, bytes: number): Parameters<typeof this.what.of>[0] {
		const sizes = (this.sizes.get(passage) ?? []).filter((most) => bytes <= most);
		return (each) => {
			each('channels', '');
			each('channel', passage);
			for (const most of sizes) each('channel', passageKey(passage, most));
		};
	}
	/** What no rule tells apart of a way, by its size. */
	private sizeClass(passage: Passage, bytes: number): string {
		return passageKey(passage, this.sizes.get(passage)?.find((most) => bytes <= most) ?? null);
	}

	/** Up to how many bytes rules speak of a way through a session, the fewest first: up to each they decide alike, and beyond the last. */
	sizesOf = (passage: Passage): readonly number[] => this.sizes.get(passage) ?? NONE;

	/**
	 * Targets of which each stands for all that no rule can tell from it: every name that rules and the catalogue have, something beneath each that is
	 * named nowhere, a site of which nothing is known, every service, something inside that is none, and what passes a session by way and size.
	 */
	allTargets(): Target[] {
		const sites: Target[] = [...this.points].flatMap((name): Target[] => {
			let beneath = `any.${name}`;
			while (this.points.has(beneath)) beneath = `any-${beneath}`;
			return [
				{ kind: 'site', host: name },
				{ kind: 'site', host: beneath }
			];
		});
		let unknown = 'nowhere';
		while (this.points.has(unknown)) unknown += '-';
		return [
			...sites,
			{ kind: 'site', host: unknown },
			...this.ground.services.map((s): Target => ({ kind: 'service', id: s.id })),
			{ kind: 'service', id: null },
			...PASSAGES.flatMap((passage): Target[] => {
				const sizes = this.sizesOf(passage);
				return [...sizes, (sizes.at(-1) ?? -1) + 1].map((bytes) => ({ kind: 'channel', passage, bytes }));
			})
		];
	}

	/**
	 * Which rule decides: its number among `deciding`.
	 * @param used what the person has had of a rule today; absent: nothing
	 */
	first(person: Reacher, target: Target, c: Circumstances, used?: (rule: AccessRule) => Used | undefined): number {
		const p = this.personBits(person);
		const { bits: t, words } = this.targetRules(target);
		for (let i = 0; i < words.length; i++) {
			const w = words[i]!;
			for (let x = p[w]! & t[w]!; x !== 0; x &= x - 1) {
				const n = (w << 5) + lowest(x);
				if (this.asks[n] !== 0 && !this.holds(n, c)) continue;
				const rule = this.deciding[n]!.rule;
				const had = rule?.daily && used?.(rule);
				if (!had || !usedUp(rule!.daily!, had)) return n;
			}
		}
		// The defaults are about everybody, and one of them about each target.
		throw new RangeError('nothing decides about such a target');
	}

	/** The class of a minute of the week: of those of one class no rule tells one from another. */
	minuteClass(minute: number): number {
		return this.dimensions[DIMENSIONS.indexOf('minute')]!.classOf({ ...ANYWHERE, minute });
	}

	/** The classes of the addresses from one number of the line to before another. */
	stretchesIn(first: bigint, behind: bigint): ReadonlySet<number> {
		const { begins, classes } = this.stretches;
		const found = new Set<number>();
		for (let i = stretchOf(begins, first); i < begins.length && begins[i]! < behind; i++) found.add(classes[i]!);
		return found;
	}

	/** Whether all that a rule asks of the circumstances holds. */
	private holds(n: number, c: Circumstances): boolean {
		for (let asks = this.asks[n]!; asks !== 0; asks &= asks - 1) {
			const dimension = this.dimensions[lowest(asks)]!;
			if (!has(dimension.classes[dimension.classOf(c)]!, n)) return false;
		}
		return true;
	}

	/** Everything that the rules of a world let stand, whatever they ask of a dimension, and those that ask and are met. */
	private cut(name: DimensionName): Dimension {
		const free = new Uint32Array(this.words);
		const asking: number[] = [];
		for (let i = 0; i < this.deciding.length; i++) {
			const rule = this.deciding[i]!.rule;
			if (rule && ASKS[name](rule)) asking.push(i);
			else put(free, i);
		}
		const alike = new Alike();
		const examples: Partial<Circumstances>[][] = [];
		/** The number of a class, by the rules that hold in it of those that ask. */
		const classFor: ClassFor = (holding, example) => {
			const bits = free.slice();
			for (const i of holding) put(bits, i);
			const n = alike.numberOf(bits);
			(examples[n] ??= []).push(example);
			return n;
		};
		const classOf = this.readers[name](classFor, asking);
		return { name, classes: alike.distinct, examples, classOf };
	}

	/** For each dimension: makes its classes, and says which of them circumstances lie in. */
	private readonly readers: Record<
		DimensionName,
		(classFor: ClassFor, asking: readonly number[]) => (c: Circumstances) => number
	> = {
		pool: (classFor, asking) => {
			const of = new Map<string, number[]>();
			for (const i of asking) for (const p of new Set(this.rules[i]!.pools)) gather(of, p, i);
			const none = classFor(NONE, { pool: null });
			const classes = new Map([...of].map(([pool, rules]) => [pool, classFor(rules, { pool })]));
			return (c) => (c.pool === null ? none : (classes.get(c.pool) ?? none));
		},
		address: (classFor, asking) => {
			const unknown = classFor(NONE, { address: null });
			const spans = asking.flatMap((rule) =>
				this.rangesOf(this.rules[rule]!).flatMap((range): Span<bigint>[] => {
					const ends = rangeOnLine(range);
					return ends ? [{ rule, from: ends[0], until: ends[1] }] : [];
				})
			);
			const begins: bigint[] = [];
			const classes: number[] = [];
			sweep(spans, 0n, 1n << 128n, (begin, holding) => {
				begins.push(begin);
				classes.push(classFor(holding, { address: addressAt(begin) }));
			});
			this.stretches = { begins, classes };
			if (asking.length === 0) return () => unknown;
			const known = new Map<string, number>();
			return ({ address }) => {
				if (address === null) return unknown;
				let found = known.get(address);
				if (found === undefined) {
					const n = onLine(address);
					found = n === null ? unknown : classes[stretchOf(begins, n)]!;
					if (known.size >= REMEMBERED) known.clear();
					known.set(address, found);
				}
				return found;
			};
		},
		managed: (classFor, asking) => {
			const no = classFor(NONE, { managed: false });
			const yes = classFor(asking, { managed: true });
			return (c) => (c.managed ? yes : no);
		},
		branch: (classFor, asking) => {
			const of = new Map<string, number[]>();
			for (const i of asking) for (const b of this.rules[i]!.device.branches!) gather(of, b, i);
			const none = classFor(NONE, { branch: null });
			const classes = new Map(
				[...this.ground.branches].map(([id, over]) => [
					id,
					classFor(
						over.flatMap((b) => of.get(b) ?? NONE),
						{ branch: id }
					)
				])
			);
			return (c) => (c.branch === null ? none : (classes.get(c.branch) ?? none));
		},
		firmware: (classFor, asking) => {
			const of = new Map<string, number[]>();
			for (const i of asking) gather(of, fullVersion(this.rules[i]!.device.firmware!)!, i);
			const versions = [...of.keys()].sort((a, b) => compareFirmware(a, b)!);
			const none = classFor(NONE, { firmware: null });
			const met: number[] = [];
			const from = versions.map((v) => {
				met.push(...of.get(v)!);
				return classFor(met, { firmware: v });
			});
			const known = new Map<string, number>();
			return ({ firmware }) => {
				if (firmware === null || versions.length === 0) return none;
				let at = known.get(firmware);
				if (at === undefined) {
					at = none;
					for (const [i, v] of versions.entries()) {
						const order = compareFirmware(firmware, v);
						if (order === null || order < 0) break;
						at = from[i]!;
					}
					if (known.size >= REMEMBERED) known.clear();
					known.set(firmware, at);
				}
				return at;
			};
		},
		locks: (classFor, asking) => {
			const no = classFor(NONE, { locks: false });
			const yes = classFor(asking, { locks: true });
			return (c) => (c.locks ? yes : no);
		},
		minute: (classFor, asking) => {
			const spans = asking.flatMap((rule) =>
				hoursInWeek(this.rules[rule]!.when.hours!).map(([from, until]): Span<number> => ({ rule, from, until }))
			);
			const at = new Uint16Array(WEEK);
			sweep(spans, 0, WEEK, (begin, holding) => at.fill(classFor(holding, { minute: begin }), begin));
			return (c) => at[c.minute]!;
		},
		onDuty: (classFor, asking) => {
			const no = classFor(
				this.those(asking, (r) => r.when.duty === 'off'),
				{ onDuty: false }
			);
			const yes = classFor(
				this.those(asking, (r) => r.when.duty === 'on'),
				{ onDuty: true }
			);
			return (c) => (c.onDuty ? yes : no);
		},
		holiday: (classFor, asking) => {
			const no = classFor(
				this.those(asking, (r) => r.when.holidays === 'not'),
				{ holiday: false }
			);
			const yes = classFor(
				this.those(asking, (r) => r.when.holidays === 'only'),
				{ holiday: true }
			);
			return (c) => (c.holiday ? yes : no);
		},
		way: (classFor, asking) => {
			const of = WAYS.map((way) =>
				classFor(
					this.those(asking, (r) => r.how.includes(way)),
					{ way }
				)
			);
			return (c) => of[WAYS.indexOf(c.way)]!;
		}
	};

	private rangesOf(r: AccessRule): string[] {
		return r.from.flatMap((f) => (f.kind === 'network' ? [f.range] : [...(this.ground.sites.get(f.id) ?? [])]));
	}

	private those(asking: readonly number[], holds: (rule: AccessRule) => boolean): number[] {
		return asking.filter((i) => holds(this.rules[i]!));
	}
}

/** Makes the class in which these of the asking rules hold, or finds it, and keeps circumstances that lie in it. */
type ClassFor = (holding: Iterable<number>, example: Partial<Circumstances>) => number;
