import { expect, test } from 'vitest';
import { drawCells, type CellMark } from './cells';

/** Notes what is drawn, in the order in which it is. */
function pen() {
	const drawn: string[] = [];
	let fill = '';
	let stroke = '';
	const g = {
		set fillStyle(c: string) {
			fill = c;
		},
		set strokeStyle(c: string) {
			stroke = c;
		},
		lineWidth: 0,
		fillRect: (x: number, y: number, w: number, h: number) =>
			drawn.push(`fill ${fill} ${[x, y, w, h].map((n) => Math.round(n * 10) / 10).join(' ')}`),
		strokeRect: () => drawn.push(`outline ${stroke}`),
		beginPath: () => {},
		moveTo: () => {},
		lineTo: () => {},
		fill: () => drawn.push(`diamond ${fill}`),
		setLineDash: (d: number[]) => d.length && drawn.push('dashed')
	};
	return { g: g as unknown as CanvasRenderingContext2D, drawn };
}
const paint = { sheet: 'sheet', sea: 'sea', sea2: 'sea2', sand: 'sand', buoy: 'buoy', off: 'off' };
const cell = (mark: CellMark['mark'], strain = 0): CellMark => ({ mark, strain });
const draw = (...cells: CellMark[]) => {
	const { g, drawn } = pen();
	return { height: drawCells(g, cells, 3, 10, 2, paint), drawn };
};

test('each state has a shape of its own, not only a colour', () => {
	const shapes = (['use', 'ready', 'off', 'starting', 'trouble'] as const).map((m) =>
		draw(cell(m, 50))
			.drawn.map((d) => d.replace(/ .*/, ''))
			.join()
	);
	expect(new Set(shapes).size).toBe(5);
	expect(draw(cell('trouble')).drawn).toEqual(['diamond buoy']);
});
test('the level of a cell is its strain; hard pressed turns to sand', () => {
	expect(draw(cell('use', 50)).drawn[1]).toBe('fill sea 0.5 5.5 10 5');
	expect(draw(cell('use', 100)).drawn[1]).toBe('fill sand 0.5 0.5 10 10');
	expect(draw(cell('use', 69)).drawn.at(-1)).toBe('outline sea');
});
test('cells run on in rows', () => {
	expect(draw(...Array.from({ length: 7 }, () => cell('ready'))).height).toBe(36);
	expect(draw(cell('off'), cell('off'), cell('off'), cell('off')).drawn[3]).toMatch(/^fill off 3\.8 15\.8/);
});
