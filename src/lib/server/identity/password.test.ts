import { describe, expect, test } from 'vitest';
import { passwordProblem, passwordWords } from './password';

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
	test('has a length, and what is very long is refused at once', () => {
		expect(passwordProblem('short')).toBe('length');
		expect(passwordProblem('1'.repeat(1_000_000))).toBe('length');
	});
});
