import { describe, expect, test } from 'vitest';
import { GB, HOUR } from '../time/units';
import { GROUPS, kindOf, KINDS, RIGHTS } from './library/kinds';
import { readParam, writeParam } from './library/params';
import { TWEAK_GROUPS, TWEAKS } from './library/tweaks';
import {
	betterOrder,
	checkSheet,
	commonSteps,
	looseOrder,
	makeStep,
	pinnedTo,
	sheetChange,
	stepKey,
	stepNote,
	stepWords,
	trimWords,
	type BuildSheet
} from './sheet';

const SOURCE = makeStep('source', { system: 'x' });
const ENDS = [makeStep('agent'), makeStep('seal')];
const sheet = (...steps: ReturnType<typeof makeStep>[]): BuildSheet => ({
	steps: [SOURCE, ...steps, ...ENDS],
	limit: HOUR,
	builder: { cores: 4, memory: 16 * GB, disk: 80 * GB, generation: 2 }
});
/** A value that each kind of parameter takes. */
function sample(kind: string): Record<string, unknown> {
	const values: Record<string, Record<string, unknown>> = {
		feature: { feature: 'Old scripts' },
		driver: { package: 'GPU driver' },
		language: { packs: ['nb'] },
		keyboard: { layouts: ['nb'] },
		region: { region: 'nb-NO' },
		fonts: { folder: '/fonts' },
		package: { package: 'Paperlane' },
		'web installer': { address: 'https://example.org/a', sha256: 'a'.repeat(64) },
		remove: { program: 'Logline' },
		script: { name: 'tidy', text: 'true' },
		'start layout': { pins: ['Paperlane'] },
		'default apps': { opens: ['.pdf=Paperlane'] },
		copy: { from: 'a', to: '/b' },
		folder: { path: '/c' },
		setting: { key: 'Machine\\A', value: '1' },
		variable: { name: 'A', value: '1' },
		service: { service: 'Spooler' },
		'scheduled task': { task: 'Defrag' },
		'drive map': { drive: 'T', share: 'tides' },
		'local group': { group: 'users', member: 'Crew' },
		certificate: { name: 'Root', pem: 'x' },
		'scan exclusions': { paths: ['/tmp'] },
		baseline: { file: 'usual.inf' },
		test: { name: '/etc/hosts' },
		source: { system: 'x' }
	};
	return values[kind] ?? {};
}

describe('every kind of the library', () => {
	test.each(KINDS.map((k) => [k.kind] as const))(
		'%s stands in a sheet somewhere, alone, and is said in words',
		(name) => {
			const step = makeStep(name, sample(name));
			const kind = kindOf(name)!;
			expect(GROUPS).toContain(kind.group);
			expect(kind.usual).toBeGreaterThan(0);
			expect(stepWords(step)).not.toMatch(/undefined|NaN|…/);
			expect(stepNote(step)).not.toMatch(/undefined|NaN/);
			expect(stepKey(step).length).toBeGreaterThan(2);
			for (const right of kind.rights?.(step.with) ?? []) expect(RIGHTS).toHaveProperty(right);
			const company = kind.rules.flatMap((r) => (r.kind === 'needs' ? [makeStep(r.step, sample(r.step))] : []));
			const steps = ['source', 'agent', 'seal'].includes(name)
				? sheet().steps
				: name === 'generalise'
					? [SOURCE, makeStep('agent'), step, makeStep('seal', { generalise: false })]
					: sheet(...company, step).steps;
			expect(checkSheet({ ...sheet(), steps }, { users: 'multi', generation: 2 }).map((p) => p.fact.words)).toEqual([]);
		}
	);
	test.each(KINDS.flatMap((k) => Object.entries(k.params).map(([name, p]) => [k.kind, name, p] as const)))(
		'%s: %s comes back as it was written',
		(kind, name, p) => {
			const value = makeStep(kind, sample(kind)).with[name];
			if (value !== undefined) expect(readParam(p, writeParam(p, value))).toEqual({ value });
		}
	);
	test.each(KINDS.filter((k) => k.rules.some((r) => r.kind === 'once')).map((k) => [k.kind] as const))(
		'%s twice is named',
		(name) => {
			const words = checkSheet(sheet(makeStep(name, sample(name)), makeStep(name, sample(name)))).map(
				(p) => p.fact.words
			);
			expect(words.some((w) => w.startsWith(`the ${name} step stands twice`))).toBe(true);
		}
	);
	test.each(
		KINDS.flatMap((k) =>
			k.rules.flatMap((r) => (r.kind === 'before' && k.kind !== r.step ? [[k.kind, r.step] as const] : []))
		)
	)('%s after %s is named, and put right', (kind, other) => {
		const steps = [
			SOURCE,
			...(other === 'agent' ? [] : [makeStep(other, sample(other))]),
			...(other === 'agent' ? [makeStep('agent')] : []),
			makeStep(kind, sample(kind)),
			...(other === 'agent' ? [makeStep('seal')] : ENDS)
		];
		const s = { ...sheet(), steps };
		expect(
			checkSheet(s)
				.map((p) => p.fact.words)
				.join()
		).toMatch(/must (come before|be last but)/);
		const better = betterOrder(s)!;
		expect(checkSheet({ ...s, steps: better.order.map((i) => steps[i]!) })).toEqual([]);
	});
	test('tweaks stand in the groups that there are', () => {
		for (const t of TWEAKS) expect(TWEAK_GROUPS).toContain(t.group);
		expect(trimWords(sheet(makeStep('trim')))).toMatch(
			/GB in the image, .* MB of memory and 0\.\d\d cores on each machine/
		);
		expect(trimWords(sheet())).toBeNull();
	});
});

describe('sheets side by side', () => {
	test('what changed decides the next number', () => {
		const a = sheet(makeStep('updates'));
		expect(sheetChange(a, a)).toBeNull();
		expect(sheetChange(a, sheet(makeStep('updates'), makeStep('reboot')))).toBe('steps');
		expect(sheetChange(a, { ...a, steps: [makeStep('source', { system: 'y' }), ...a.steps.slice(1)] })).toBe('source');
		expect(sheetChange(a, { ...a, limit: 2 * HOUR })).toBeNull();
	});
	test('how far they are the same', () => {
		const a = sheet(makeStep('updates'), makeStep('reboot'));
		expect(commonSteps(a, a)).toBe(5);
		expect(commonSteps(a, sheet(makeStep('updates'), makeStep('clean')))).toBe(2);
		expect(commonSteps(a, { ...a, steps: [] })).toBe(0);
	});
	test('pinned to contents, every program stays what it is', () => {
		const s = sheet(makeStep('package', { package: 'Paperlane' }), makeStep('package', { package: 'Unknown' }));
		const pinned = pinnedTo(s, [
			{ name: 'Paperlane', version: '12.6', size: 1 },
			{ name: 'desktop agent', version: '9.1', size: 1 }
		]);
		expect(pinned.steps.map((x) => x.with.version)).toEqual([undefined, '12.6', 'newest', '9.1', undefined]);
	});
	test('versions of programs are ordered by their parts', () => {
		expect(['13.10', '13.9', '2', '13.9.1', '13'].sort(looseOrder)).toEqual(['2', '13', '13.9', '13.9.1', '13.10']);
		expect(looseOrder('1.0', '1')).toBe(0);
	});
});
