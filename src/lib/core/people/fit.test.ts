import { describe, expect, test } from 'vitest';
import { demandOf, fitDesks, type Demand, type Desk } from './fit';

const GB = 1e9;
const desk = (id: string, more: Partial<Desk>): Desk => ({
	id,
	name: id,
	assignment: 'shared',
	perMachine: 1,
	cores: 4,
	memory: 16 * GB,
	gpus: 0,
	month: 1000,
	free: 5,
	...more
});
const peer = (cores: number, memory: number, gpus = 0): Demand => ({ cores, memory: memory * GB, gpus });

describe('the desk that fits', () => {
	const desks = [
		desk('big', { cores: 8, memory: 32 * GB, month: 4000 }),
		desk('shared', { perMachine: 4, cores: 8, memory: 32 * GB, month: 500 }),
		desk('own', { month: 2000 }),
		desk('gpu', { cores: 8, gpus: 1, memory: 64 * GB, month: 9000 })
	];
	test('is the cheapest that does for nine in ten of the peers', () => {
		const light = fitDesks(
			Array.from({ length: 20 }, () => peer(1, 4)),
			desks
		);
		expect(light.best).toBe('shared');
		expect(light.fits.map((f) => f.id)).toEqual(['shared', 'own', 'big', 'gpu']);
		const mixed = fitDesks(
			[...Array.from({ length: 10 }, () => peer(1, 4)), ...Array.from({ length: 10 }, () => peer(3, 12))],
			desks
		);
		expect(mixed.best).toBe('own');
		expect(mixed.fits.find((f) => f.id === 'shared')).toMatchObject({ share: 0.5, short: ['cores', 'memory'] });
		expect(fitDesks([peer(1, 4), ...Array.from({ length: 9 }, () => peer(3, 12, 0.3))], desks).best).toBe('gpu');
	});
	test('is the one that does for most where none does for enough, and says so', () => {
		const none = fitDesks(
			[...Array.from({ length: 6 }, () => peer(1, 4)), ...Array.from({ length: 4 }, () => peer(90, 4))],
			desks
		);
		expect(none.best).toBe('shared');
		expect(none.facts.at(-1)!.words).toBe('no desk does for nine in ten of them: shared does for 60 %');
	});
	test('is not guessed where nothing was measured', () => {
		expect(fitDesks([], desks)).toMatchObject({ best: null });
		expect(fitDesks([peer(1, 1)], []).best).toBeNull();
		expect(fitDesks([peer(1, 1)], desks).facts.map((f) => f.words)).toContain('so few peers say little: it is a guess');
	});
});

test('what somebody asks for is what they stay under for nineteen twentieths of their time', () => {
	expect(demandOf([])).toBeNull();
	const samples = Array.from({ length: 100 }, (_v, i) => peer(i < 97 ? 1 : 8, 4, 0));
	expect(demandOf(samples)!.cores).toBe(1);
	expect(demandOf(samples.map((s, i) => (i % 5 ? s : peer(6, 9))))).toMatchObject({ cores: 6, memory: 9 * GB });
});
