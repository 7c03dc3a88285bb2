import { durationWords, sizeWords } from '../time/units';
import type { Fact } from '../why/explained';
import { ESSENTIAL, kindOf, KINDS, RIGHTS, type Right } from './library/kinds';
import { readParam, type ParamValues } from './library/params';
import { chosenTweaks, isTweak, savingsOf } from './library/tweaks';
import { brokenMusts, circle, mustsOf, nearestOrder, type Nearest } from './order';
import type { SheetStep } from './sheet-step';
import { byVersion, isPreRelease, type Component } from './versions';

/** How a version is made. Durations in ms, sizes in bytes. */
export interface BuildSheet {
	steps: SheetStep[];
	/** The build is stopped after this long. */
	limit: number;
	builder: {
		cores: number;
		memory: number;
		/** Disk of the builder machine and of the outcome: at least what the source needs; a larger one is faster. */
		disk: number;
		/** Kind of firmware: 1 BIOS, 2 UEFI. Source, builder and outcome have to agree. */
		generation: 1 | 2;
	};
}

const GENERATIONS = { 1: 'generation 1 (BIOS)', 2: 'generation 2 (UEFI)' } as const;

/** A system that a site offers to start from. */
export interface StockSystem {
	id: string;
	name: string;
	system: string;
	users: 'single' | 'multi';
	generation: 1 | 2;
	/** Least disk that it needs, bytes. */
	leastDisk: number;
	component: Component;
}

/** A program that the package store has, in one version. */
export interface StorePackage {
	name: string;
	version: string;
	/** Bytes once installed. */
	size: number;
}

/** What there is to build from. */
export interface Supplies {
	stock: StockSystem[];
	packages: StorePackage[];
	/** Versions that can be started from. */
	versions: {
		line: string;
		number: string;
		generation: 1 | 2;
		users: 'single' | 'multi';
		size: number;
		contents: Component[];
	}[];
	/** Machines that can be started from. */
	machines: { name: string; generation: 1 | 2; users: 'single' | 'multi'; disk: number; contents: Component[] }[];
}

export interface SheetProblem {
	/** Index of the step that is wrong; -1 when it is about the whole sheet. */
	step: number;
	/** Which part: a parameter's name, `builder.disk`, `limit`; absent when it is about its site. */
	field?: string;
	fact: Fact;
}

/** The step in words: `Install Viewer 13`. */
export const stepWords = (step: SheetStep): string => kindOf(step.kind)?.words(step.with) ?? step.kind;

/** What past runs of the step are found by: the same step with another version of its program is the same step. */
export const stepKey = (step: SheetStep): string => {
	const kind = kindOf(step.kind);
	return kind?.key?.(step.with) ?? stepWords(step);
};

/** A remark under the step: its own, or what its kind has to say. */
export const stepNote = (step: SheetStep): string => step.note ?? kindOf(step.kind)?.note?.(step.with) ?? '';

/** A step of a kind with everything it does not say left at its default. Unknown parameters and kinds stay as they are: the check names them. */
export function makeStep(
	kind: string,
	given: Record<string, unknown> = {},
	rest: Omit<SheetStep, 'kind' | 'with'> = {}
): SheetStep {
	const values: ParamValues = {};
	const params = kindOf(kind)?.params ?? {};
	for (const [name, param] of Object.entries(params)) {
		const read = readParam(param, given[name]);
		if ('value' in read) {
			if (read.value !== undefined) values[name] = read.value;
		} else if (given[name] !== undefined) values[name] = given[name] as string;
	}
	for (const [name, value] of Object.entries(given)) if (!(name in params)) values[name] = value as string;
	return { kind, with: values, ...rest };
}

/** The newest package of a name that a wish fits (`newest`, `13`, `13.1`), or null. */
export function packageFor(packages: readonly StorePackage[], name: string, wish: string): StorePackage | null {
	const fits = packages.filter(
		(p) => p.name === name && (wish === 'newest' || p.version === wish || p.version.startsWith(`${wish}.`))
	);
	return fits.sort((a, b) => looseOrder(a.version, b.version)).at(-1) ?? null;
}

/** Orders versions of programs, which need not be semantic versions: part by part, numbers as numbers. */
export function looseOrder(a: string, b: string): number {
	const [x, y] = [a.split(/[.-]/), b.split(/[.-]/)];
	for (let i = 0; i < Math.max(x.length, y.length); i++) {
		const [p, q] = [x[i] ?? '0', y[i] ?? '0'];
		const order = /^\d+$/.test(p) && /^\d+$/.test(q) ? Number(p) - Number(q) : p < q ? -1 : p > q ? 1 : 0;
		if (order !== 0) return order;
	}
	return 0;
}

/** What a sheet's source is, or null when it is not there. */
function sourceOf(
	sheet: BuildSheet,
	supplies: Supplies
): { generation: 1 | 2; users: 'single' | 'multi'; leastDisk: number; words: string; contents: Component[] } | null {
	const step = sheet.steps.find((s) => s.kind === 'source');
	if (!step) return null;
	const p = step.with;
	if (p.from === 'version') {
		const own = supplies.versions.filter((x) => x.line === p.line);
		const version =
			p.number === undefined || p.number === 'newest'
				? own
						.filter((x) => !isPreRelease(x.number))
						.sort((a, b) => byVersion(a.number, b.number))
						.at(-1)
				: own.find((x) => x.number === p.number);
		return version
			? { ...version, leastDisk: Math.ceil(version.size * 1.25), words: `${version.line} ${version.number}` }
			: null;
	}
	if (p.from === 'machine') {
		const machine = supplies.machines.find((m) => m.name === p.machine);
		return machine ? { ...machine, leastDisk: machine.disk, words: machine.name } : null;
	}
	const stock = supplies.stock.find((x) => x.id === p.system);
	return stock ? { ...stock, words: stock.name, contents: [stock.component] } : null;
}

/** The parts that a sheet is expected to end with, from what the stores have now. Updates may bring newer ones. */
export function expectedContents(sheet: BuildSheet, supplies: Supplies): Component[] {
	const parts = new Map((sourceOf(sheet, supplies)?.contents ?? []).map((c) => [c.name, c]));
	for (const step of sheet.steps) {
		const p = step.with;
		const put = (found: StorePackage | null) => found && parts.set(found.name, { ...found });
		if (step.kind === 'package' || step.kind === 'driver')
			put(packageFor(supplies.packages, String(p.package), String(p.version ?? 'newest')));
		else if (step.kind === 'agent') put(packageFor(supplies.packages, 'desktop agent', String(p.version)));
		else if (step.kind === 'profile client')
			put(packageFor(supplies.packages, 'profile disk client', String(p.version)));
		else if (step.kind === 'language') {
			const packs = p.packs as string[];
			parts.set(`language packs ${packs.join(', ')}`, {
				name: `language packs ${packs.join(', ')}`,
				version: '1',
				size: packs.length * 850_000_000
			});
		} else if (step.kind === 'remove') parts.delete(String(p.program));
	}
	return [...parts.values()];
}

/**
 * Checks a sheet: each step's parameters, the order and the company of the steps, and that source, builder and outcome
 * agree. `line` is what the outcome is for; `supplies` what there is to build from: without them, what depends on them is
 * not checked. An empty list means that it can be built.
 */
export function checkSheet(
	sheet: BuildSheet,
	line?: { users: 'single' | 'multi'; generation: 1 | 2 },
	supplies?: Supplies
): SheetProblem[] {
	const problems: SheetProblem[] = [];
	const add = (step: number, words: string, field?: string) =>
		problems.push({ step, ...(field ? { field } : {}), fact: { words, side: 'against', source: 'build sheet' } });
	const { steps } = sheet;
	const quoted = (i: number) => `“${stepWords(steps[i]!)}”`;

	for (const kind of ESSENTIAL)
		if (!steps.some((s) => s.kind === kind)) add(-1, `there is no ${kind} step: a version needs one`);
	const names = new Map<string, number>();
	steps.forEach((step, i) => {
		const kind = kindOf(step.kind);
		if (!kind)
			return add(
				i,
				`there is no kind of step called ${step.kind}; there are ${KINDS.map((k) => k.kind).join(', ')}`,
				'kind'
			);
		for (const [name, param] of Object.entries(kind.params)) {
			const read = readParam(param, step.with[name]);
			if ('wrong' in read) add(i, read.wrong, name);
		}
		for (const name of Object.keys(step.with))
			if (!(name in kind.params)) add(i, `a ${step.kind} step knows no “${name}”`, name);
		if (step.id !== undefined) {
			if (names.has(step.id)) add(i, `step ${names.get(step.id)! + 1} is called ${step.id} too`, 'id');
			else names.set(step.id, i);
		}
		checkReferences(step, i, add, supplies);

		for (const rule of kind.rules) {
			const others = steps.flatMap((other, j) => (j === i ? [] : [{ other, j }]));
			switch (rule.kind) {
				case 'once':
					if (others.some((o) => o.j < i && o.other.kind === step.kind))
						add(i, `the ${step.kind} step stands twice: ${rule.why}`);
					break;
				case 'needs':
					if (!others.some((o) => o.other.kind === rule.step))
						add(i, `${quoted(i)} needs a ${rule.step} step: ${rule.why}`);
					break;
				case 'not with': {
					const found = others.find(
						(o) => o.other.kind === rule.step && (rule.when?.(step.with, o.other.with) ?? true)
					);
					if (found) add(i, `${quoted(i)} cannot stand with ${quoted(found.j)}: ${rule.why}`);
					break;
				}
				case 'only on':
					if (line && line.users !== rule.users)
						add(i, `${quoted(i)} is only for ${rule.users}-user systems: ${rule.why}`);
					break;
				case 'no two alike': {
					const found = others.find(
						(o) => o.j < i && o.other.kind === step.kind && rule.by(o.other.with) === rule.by(step.with)
					);
					if (found) add(i, `${quoted(i)} is like step ${found.j + 1}: ${rule.why}`);
					break;
				}
			}
		}
	});
	steps.forEach((step, i) => {
		for (const id of step.after ?? []) {
			if (!names.has(id)) add(i, `${quoted(i)} is to come after ${id}, but no step is called that`, 'after');
			else if (names.get(id) === i) add(i, `${quoted(i)} is to come after itself`, 'after');
		}
	});

	const musts = mustsOf(steps);
	const round = circle(steps.length, musts);
	if (round)
		add(
			round[0]!,
			`no order can be right: ${round.map(quoted).join(' has to come before ')} has to come before ${quoted(round[0]!)}`,
			'after'
		);
	problems.push(...brokenMusts(steps, musts));
	if (sheet.limit <= 0) add(-1, 'the time limit must be longer than nothing', 'limit');
	if (line && sheet.builder.generation !== line.generation)
		add(
			-1,
			`the builder is ${GENERATIONS[sheet.builder.generation]}, the machines of the line are ${GENERATIONS[line.generation]}`,
			'builder.generation'
		);
	if (supplies) checkSource(sheet, line, supplies, add);
	return problems;
}

function checkReferences(
	step: SheetStep,
	i: number,
	add: (step: number, words: string, field?: string) => void,
	supplies?: Supplies
): void {
	const p = step.with;
	if (step.kind === 'trim' && Array.isArray(p.tweaks))
		for (const t of p.tweaks) if (!isTweak(String(t))) add(i, `there is no tweak called ${String(t)}`, 'tweaks');
	if (step.kind === 'source') {
		const need = p.from === 'version' ? 'line' : p.from === 'machine' ? 'machine' : 'system';
		if (p[need] === undefined)
			add(
				i,
				`say which ${need === 'system' ? 'stock system' : need === 'line' ? 'image line' : 'machine'} it starts from`,
				need
			);
	}
	if (step.kind === 'updates' && p.which === 'named' && p.names === undefined) add(i, 'name the updates', 'names');
	if (!supplies) return;
	const [name, wish] =
		step.kind === 'package' || step.kind === 'driver'
			? [p.package, p.version ?? 'newest']
			: step.kind === 'agent'
				? ['desktop agent', p.version]
				: step.kind === 'profile client'
					? ['profile disk client', p.version]
					: [undefined, undefined];
	if (typeof name === 'string' && !packageFor(supplies.packages, name, String(wish))) {
		const there = supplies.packages.filter((x) => x.name === name).map((x) => x.version);
		add(
			i,
			there.length
				? `the package store has no ${name} ${String(wish)}; it has ${there.join(', ')}`
				: `the package store has no package called ${name}`,
			there.length ? 'version' : 'package'
		);
	}
}

function checkSource(
	sheet: BuildSheet,
	line: { users: 'single' | 'multi'; generation: 1 | 2 } | undefined,
	supplies: Supplies,
	add: (step: number, words: string, field?: string) => void
): void {
	const at = sheet.steps.findIndex((s) => s.kind === 'source');
	if (at < 0) return;
	const p = sheet.steps[at]!.with;
	const source = sourceOf(sheet, supplies);
	if (!source) {
		const named =
			p.from === 'version'
				? `version ${String(p.line)} ${String(p.number ?? 'newest')}`
				: p.from === 'machine'
					? `machine ${String(p.machine)}`
					: `stock system ${String(p.system)}`;
		if (p.line !== undefined || p.machine !== undefined || p.system !== undefined)
			add(at, `there is no ${named} to start from`, 'from');
		return;
	}
	if (source.generation !== sheet.builder.generation)
		add(
			at,
			`${source.words} is ${GENERATIONS[source.generation]}, the builder ${GENERATIONS[sheet.builder.generation]}`,
			'from'
		);
	if (line && source.users !== line.users)
		add(at, `${source.words} is a ${source.users}-user system, the line is for ${line.users}-user machines`, 'from');
	if (sheet.builder.disk < source.leastDisk)
		add(
			-1,
			`${source.words} needs a disk of ${sizeWords(source.leastDisk)} at least, the builder has ${sizeWords(sheet.builder.disk)}`,
			'builder.disk'
		);
	const contents = expectedContents(sheet, supplies);
	const total = contents.reduce((n, c) => n + c.size, 0);
	if (total > sheet.builder.disk)
		add(
			-1,
			`what is installed takes ${sizeWords(total)}, more than the disk of ${sizeWords(sheet.builder.disk)}`,
			'builder.disk'
		);
}

/** The nearest order in which a sheet's steps are right, or null where it is right already or cannot be. */
export function betterOrder(sheet: BuildSheet): (Nearest & { words: string[] }) | null {
	const musts = mustsOf(sheet.steps);
	if (brokenMusts(sheet.steps, musts).length === 0) return null;
	const nearest = nearestOrder(sheet.steps.length, musts);
	if (!nearest) return null;
	return {
		...nearest,
		words: nearest.moved.map((i) => `“${stepWords(sheet.steps[i]!)}” to position ${nearest.order.indexOf(i) + 1}`)
	};
}

/** What the builder's account has to be allowed for a sheet, with the steps that ask for it. */
export function rightsNeeded(sheet: BuildSheet): { right: Right; words: string; steps: number[] }[] {
	const needs = new Map<Right, number[]>();
	sheet.steps.forEach((step, i) => {
		for (const right of kindOf(step.kind)?.rights?.(step.with) ?? [])
			needs.set(right, [...(needs.get(right) ?? []), i]);
	});
	return [...needs].map(([right, steps]) => ({ right, words: RIGHTS[right], steps }));
}

/** What the tweaks of a sheet save on each machine, in words, or null without a trim step. */
export function trimWords(sheet: BuildSheet): string | null {
	const step = sheet.steps.find((s) => s.kind === 'trim');
	if (!step) return null;
	const saved = savingsOf(chosenTweaks(step.with.tweaks as 'safe'));
	return `${sizeWords(saved.disk)} in the image, ${sizeWords(saved.memory)} of memory and ${(saved.core / 1000).toFixed(2)} cores on each machine, ${durationWords(saved.signIn)} of a first sign-in`;
}

/**
 * A version's sheet with every program at the very version that the version holds: built again, only the system's updates
 * are new. Programs that its contents do not name stay as the sheet has them.
 */
export function pinnedTo(sheet: BuildSheet, contents: readonly Component[]): BuildSheet {
	const held = new Map(contents.map((c) => [c.name, c.version]));
	return {
		...sheet,
		steps: sheet.steps.map((step) => {
			const name =
				step.kind === 'package'
					? String(step.with.package)
					: step.kind === 'agent'
						? 'desktop agent'
						: step.kind === 'profile client'
							? 'profile disk client'
							: undefined;
			const version = name === undefined ? undefined : held.get(name);
			return version === undefined ? step : { ...step, with: { ...step.with, version } };
		})
	};
}

/** What changed from one sheet to another, as far as it matters for the next number; null when they are the same. */
export function sheetChange(before: BuildSheet, after: BuildSheet): 'source' | 'steps' | null {
	const plain = (steps: SheetStep[]) =>
		JSON.stringify(steps.map(({ kind, with: p }) => [kind, Object.entries(p).sort()]));
	const source = (s: BuildSheet) => s.steps.filter((x) => x.kind === 'source');
	return plain(source(before)) !== plain(source(after))
		? 'source'
		: plain(before.steps) !== plain(after.steps)
			? 'steps'
			: null;
}

/** How many steps, from the first on, two sheets have in common: a build of the one can be gone on with by the other from there. */
export function commonSteps(a: BuildSheet, b: BuildSheet): number {
	const same = (x: SheetStep | undefined, y: SheetStep | undefined) =>
		x !== undefined &&
		y !== undefined &&
		x.kind === y.kind &&
		JSON.stringify(Object.entries(x.with).sort()) === JSON.stringify(Object.entries(y.with).sort());
	let n = 0;
	while (same(a.steps[n], b.steps[n])) n++;
	return n;
}
