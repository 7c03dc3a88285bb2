import { describe, expect, test } from 'vitest';
import { iconFile, matchesSize, readTheme, sizeDistance, type IconFolder } from './icon-theme';

/** The Icon Theme Specification 0.13, sentence by sentence. */

const INDEX = `[Icon Theme]
Name=Slate
Inherits=Paper,hicolor
Directories=48x48/apps,scalable/apps,22/apps,broken
ScaledDirectories=48x48@2/apps

[48x48/apps]
Size=48
Type=Fixed
Context=Applications

[scalable/apps]
Size=64
Type=Scalable
MinSize=56
MaxSize=512

[22/apps]
Size=22

[48x48@2/apps]
Size=48
Scale=2
Type=Fixed

[broken]
Type=Fixed
`;
const folder = (more: Partial<IconFolder>): IconFolder => ({
	path: 'x',
	size: 48,
	scale: 1,
	type: 'Threshold',
	least: 48,
	most: 48,
	threshold: 2,
	...more
});

describe('the index of a theme', () => {
	const theme = readTheme(INDEX);
	test('lists its folders, those of other scales too; one without a size is none', () => {
		expect(theme.folders.map((f) => f.path)).toEqual(['48x48/apps', 'scalable/apps', '22/apps', '48x48@2/apps']);
		expect(theme.inherits).toEqual(['Paper', 'hicolor']);
	});
	test('a folder without a type is Threshold, by 2; least and most are its size; its scale is 1', () => {
		expect(theme.folders[2]).toEqual({
			path: '22/apps',
			size: 22,
			scale: 1,
			type: 'Threshold',
			least: 22,
			most: 22,
			threshold: 2
		});
		expect(theme.folders[1]).toMatchObject({ type: 'Scalable', least: 56, most: 512 });
		expect(theme.folders[3]).toMatchObject({ scale: 2 });
	});
});

describe('sizes', () => {
	test.each<[Partial<IconFolder>, number, number, boolean, number]>([
		[{ type: 'Fixed' }, 48, 1, true, 0],
		[{ type: 'Fixed' }, 47, 1, false, 1],
		[{ type: 'Fixed', scale: 2 }, 48, 1, false, 48],
		[{ type: 'Fixed', scale: 2 }, 48, 2, true, 0],
		[{ type: 'Threshold' }, 50, 1, true, 0],
		[{ type: 'Threshold' }, 51, 1, false, 1],
		[{ type: 'Threshold' }, 45, 1, false, 1],
		[{ type: 'Scalable', least: 16, most: 256 }, 16, 1, true, 0],
		[{ type: 'Scalable', least: 16, most: 256 }, 300, 1, false, 44],
		[{ type: 'Scalable', least: 16, most: 256 }, 10, 1, false, 6]
	])('%j for %d at scale %d', (f, size, scale, matches, distance) => {
		expect(matchesSize(folder(f), size, scale)).toBe(matches);
		expect(sizeDistance(folder(f), size, scale)).toBe(distance);
	});
});

describe('the picture of a name', () => {
	const at = (theme: string, below: string, ending = 'png') => `usr/share/icons/${theme}/${below}/gauge.${ending}`;
	test('is of the folder for just this size, else of the nearest', () => {
		const paths = [at('hicolor', '16x16/apps'), at('hicolor', '48x48/apps'), at('hicolor', '256x256/apps')];
		expect(iconFile('gauge', 48, 1, paths)).toBe(paths[1]);
		expect(iconFile('gauge', 96, 1, paths)).toBe(paths[1]);
		expect(iconFile('gauge', 200, 1, paths)).toBe(paths[2]);
		expect(iconFile('gauge', 16, 1, [...paths, at('hicolor', 'scalable/apps', 'svg')])).toBe(paths[0]);
		expect(iconFile('gauge', 96, 1, [...paths, at('hicolor', 'scalable/apps', 'svg')])).toBe(
			at('hicolor', 'scalable/apps', 'svg')
		);
	});
	test('of one folder it is the PNG before the SVG before the XPM', () => {
		const all = ['xpm', 'svg', 'png'].map((e) => at('hicolor', '48x48/apps', e));
		expect(iconFile('gauge', 48, 1, all)).toBe(all[2]);
		expect(iconFile('gauge', 48, 1, all.slice(0, 2))).toBe(all[1]);
	});
	test('the index of a theme says what its folders are for, whatever they are called', () => {
		const paths = [at('hicolor', '22/apps'), at('hicolor', 'scalable/apps')];
		const index = (path: string) => (path === 'usr/share/icons/hicolor/index.theme' ? INDEX : null);
		expect(iconFile('gauge', 22, 1, paths, index)).toBe(paths[0]);
		expect(iconFile('gauge', 512, 1, paths, index)).toBe(paths[1]);
	});
	test('hicolor is asked first, then the others with those they inherit from, then what lies in no theme', () => {
		const loose = 'usr/share/pixmaps/gauge.xpm';
		const paper = at('Paper', '48x48/apps');
		expect(iconFile('gauge', 48, 1, [loose, paper, at('hicolor', '48x48/apps')])).toBe(at('hicolor', '48x48/apps'));
		expect(iconFile('gauge', 48, 1, [loose, paper])).toBe(paper);
		expect(iconFile('gauge', 48, 1, [loose])).toBe(loose);
		expect(iconFile('gauge', 48, 1, ['usr/share/icons/gauge.png'])).toBe('usr/share/icons/gauge.png');
	});
	test('themes that inherit from each other end', () => {
		const index = (path: string) => `[Icon Theme]\nInherits=${path.includes('/A/') ? 'B' : 'A'}\nDirectories=x`;
		expect(iconFile('gauge', 48, 1, [at('A', 'x').replace('gauge', 'other')], index)).toBeNull();
	});
	test('an ending that the name should not have is not part of it; another name is another picture', () => {
		const path = at('hicolor', '48x48/apps');
		expect(iconFile('gauge.png', 48, 1, [path])).toBe(path);
		expect(iconFile('auge', 48, 1, [path])).toBeNull();
		expect(iconFile('gauge', 48, 1, ['usr/share/doc/gauge.png'])).toBeNull();
	});
});
