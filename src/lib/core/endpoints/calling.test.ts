import { expect, test } from 'vitest';
import { callingWays, judgeCalling, toldFirst, type CallingFacts } from './calling';

const ways = callingWays('kept.example');
const facts = (
	more: Partial<CallingFacts> = {},
	dhcp: string | null = null,
	dns: string | null = null
): CallingFacts => ({
	wanted: 'sextant.kept.example:8443',
	told: [
		{ by: ways.dhcp, address: dhcp },
		{ by: ways.dns, address: dns }
	],
	there: ['10.1.0.7'],
	here: ['10.1.0.7'],
	reach: { ok: true, value: 9 },
	...more
});

test('devices go by what DHCP tells, and ask the name service where it tells nothing', () => {
	expect(toldFirst(facts({}, 'a.example:1', 'b.example:2').told)).toEqual({
		by: 'DHCP option 224',
		address: 'a.example:1'
	});
	expect(toldFirst(facts({}, null, 'b.example:2').told)?.address).toBe('b.example:2');
	expect(toldFirst(facts().told)).toBeNull();
});

test('a network that tells the right address, under any name of it, is in order', () => {
	expect(judgeCalling(facts({}, null, 'sextant.kept.example:8443'))).toEqual({
		ok: true,
		saw: 'told by the record _sextant._tcp.kept.example; it answers in 9 ms',
		remedy: ''
	});
	expect(judgeCalling(facts({}, '10.1.0.7:8443'))).toMatchObject({
		ok: true,
		saw: 'DHCP option 224 tells 10.1.0.7:8443; it answers in 9 ms'
	});
});

test.each<[string, CallingFacts, RegExp, RegExp]>([
	['nothing is told', facts(), /neither DHCP option 224 nor the record/, /Let the record .* tell sextant/],
	[
		'an old address',
		facts({ there: ['10.1.0.2'] }, 'old.kept.example:8443', 'sextant.kept.example:8443'),
		/DHCP option 224 tells old\.kept\.example:8443; Sextant is at sextant/,
		/Let DHCP option 224 tell sextant\.kept\.example:8443/
	],
	['another port', facts({}, null, 'sextant.kept.example:443'), /tells sextant\.kept\.example:443; Sextant/, /8443/],
	[
		'a name that does not resolve there',
		facts({ there: [] }, null, 'sextant.kept.example:8443'),
		/sextant\.kept\.example does not resolve there/,
		/Put sextant\.kept\.example into the name service of this site, as 10\.1\.0\.7/
	],
	[
		'an old name that resolves to nothing',
		facts({ there: [] }, 'old.kept.example:8443'),
		/old\.kept\.example does not resolve/,
		/Let DHCP option 224 tell sextant/
	],
	[
		'the right name for another address',
		facts({ there: ['10.9.9.9'] }, null, 'sextant.kept.example:8443'),
		/which is 10\.9\.9\.9 there; Sextant stands at 10\.1\.0\.7/,
		/Put sextant\.kept\.example right/
	],
	[
		'a link that is down',
		facts({ reach: { ok: false, saw: 'nothing answers' } }, null, 'sextant.kept.example:8443'),
		/nothing answers/,
		/Let devices of this site reach/
	]
])('%s is seen, with what puts it right', (_what, f, saw, remedy) => {
	const r = judgeCalling(f);
	expect(r.ok).toBe(false);
	expect(r.saw).toMatch(saw);
	expect(r.remedy).toMatch(remedy);
});
