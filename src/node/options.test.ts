import { describe, expect, test } from 'vitest';
import { readOptions } from './options';

describe('what the server is started with', () => {
	test('goes by the usual ones', () => {
		expect(readOptions([])).toEqual({
			demo: false,
			port: 4870,
			host: '127.0.0.1',
			data: 'data/estate',
			estate: null,
			speed: null,
			fresh: false,
			make: false,
			proxy: 0,
			url: null
		});
	});
	test('the demo has a folder of its own, unless another is named', () => {
		expect(readOptions(['--demo']).data).toBe('data/demo');
		expect(readOptions(['--demo', '--data', '/srv/x']).data).toBe('/srv/x');
	});
	test('takes each option', () => {
		expect(
			readOptions(['--port', '8080', '--estate', 'a.yaml', '--speed', '0', '--fresh', '--host', '0.0.0.0'])
		).toMatchObject({ port: 8080, estate: 'a.yaml', speed: 0, fresh: true, host: '0.0.0.0' });
	});
	test.each([
		[['--port', 'ninety'], /--port ninety: a port is a whole number/],
		[['--port', '0'], /from 1 to 65535/],
		[['--port', '70000'], /from 1 to 65535/],
		[['--speed', 'fast'], /--speed fast: a speed is a number/],
		[['--speed', '601'], /to 600/],
		[['--speed=-1'], /from 0/],
		[['--proxy', 'nginx'], /how many proxies/],
		[['--url', 'sextant.example'], /an address such as/],
		[['--url', 'https://sextant.example/desk'], /an address such as/],
		[['--colour', 'red'], /Unknown option '--colour'/],
		[['estate.yaml'], /Unexpected argument 'estate.yaml'/]
	])('%j is refused in one line', (argv, words) => {
		expect(() => readOptions(argv)).toThrow(words);
	});
});
