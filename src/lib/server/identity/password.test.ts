import { describe, expect, test } from 'vitest';
import { openDb, putSetting } from '../db';
import { passwordProblem, passwordWords, wordsAbout } from './password';

describe('a password that somebody chooses', () => {
	test.each([
		'1234567890',
		'qwertyuiop',
		'QwertyUiop',
		'password123',
		'qwertyuiop2026!',
		'aaaaaaaaaaaa',
		'abababababab'
	])('%s is tried first by everybody', (p) => {
		expect(passwordProblem(p)).toBe('common');
		expect(passwordWords(p)).toMatch(/choose another/);
	});
	test.each([
		'a long password',
		'tern over grey water',
		'пароль из слов',
		'濃い霧の朝に出る船の灯り',
		'søkart over kysten',
		'пароль password1 пароль'
	])('%s is not', (p) => {
		expect(passwordProblem(p)).toBeNull();
		expect(passwordWords(p)).toBeNull();
	});
	test('is not made of the names of whoever has it, of the estate, or of the program', () => {
		const db = openDb(':memory:');
		putSetting(db, 'estate', 'Сити Bay');
		putSetting(db, 'domain', 'testbay.example');
		const about = wordsAbout(db, { login: 'aquill', name: 'Anna Quill-Østby' });
		db.close();
		for (const p of [
			'anna.quill.2026',
			'Sextant2026!',
			'СитиBay123456',
			'østby-østby-1',
			'testbay testbay',
			'aquill12345678'
		])
			expect([p, passwordProblem(p, about)]).toEqual([p, 'common']);
		for (const p of ['anna walks to the quay', 'a long password', '839204756183', 'bay of grey water'])
			expect([p, passwordProblem(p, about)]).toEqual([p, null]);
	});
	test('has a length, and what is very long is refused at once', () => {
		expect(passwordProblem('short')).toBe('length');
		expect(passwordProblem('1'.repeat(1_000_000))).toBe('length');
	});
});
