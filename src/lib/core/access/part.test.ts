import { describe, expect, it } from 'vitest';
import { partText, partWords, readPart } from './part';
import { may, rightsInPart, rightsOf, within } from './rights';

describe('a part of the estate', () => {
	it('is read from sites, teams, pools and lines, and written the same way for the same part', () => {
		const { part, problems } = readPart('team:guests site:south,north');
		expect(problems).toEqual([]);
		expect(part).toEqual({ team: ['guests'], site: ['south', 'north'] });
		expect(partText(part)).toBe('site:north,south team:guests');
		expect(readPart(partText(part)).part).toEqual({ site: ['north', 'south'], team: ['guests'] });
		expect(partWords(part, (_f, id) => id.toUpperCase())).toBe('in SOUTH or NORTH, team GUESTS');
		expect(readPart('')).toEqual({ part: {}, problems: [] });
	});

	it.each([
		['-site:north', 'tells no part'],
		['strain>50', 'tells no part'],
		['north', 'tells no part'],
		['person:ada', 'tells no part'],
		['site:north site:south', 'twice'],
		['place:north', 'no facet']
	])('is not read from %s', (text, words) => {
		expect(readPart(text).problems.join()).toContain(words);
	});
});

describe('rights for a part', () => {
	it('hold nothing of the whole estate', () => {
		const rights = rightsInPart(rightsOf('owner'));
		expect(may(rights, 'sessions', 'commit')).toBe(true);
		for (const area of ['identity', 'directory', 'lab'] as const) expect(may(rights, area, 'read')).toBe(false);
	});

	it('are within others where no level is above theirs', () => {
		expect(within(rightsOf('helpdesk'), rightsOf('owner'))).toBe(true);
		expect(within(rightsOf('builder'), rightsOf('operator'))).toBe(false);
		expect(within({}, {})).toBe(true);
	});
});
