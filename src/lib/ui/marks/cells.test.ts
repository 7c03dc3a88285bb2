import { afterEach, expect, test, vi } from 'vitest';
import { drawCell, drawCells, packCells, unpackCells, type CellMark } from './cells';

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
const grid = { columns: 3, size: 10, gap: 2, ratio: 1 };
const draw = (one: CellMark) => {
	const { g, drawn } = pen();
	drawCell(g, one, 0, 0, grid, paint);
	return drawn;
};

/** A canvas whose pixels carry the mark that was stamped there: the first letter, and the strain. */
function pixels(cells: CellMark[]) {
	let image = { data: new Uint8ClampedArray(), width: 0, height: 0 };
	const stamped: number[] = [];
	vi.stubGlobal(
		'OffscreenCanvas',
		class {
			constructor(
				readonly width: number,
				readonly height: number
			) {}
			getContext() {
				return {
					canvas: this,
					scale: () => {},
					getImageData: () => {
						const data = new Uint32Array(this.width * this.height);
						data.forEach((_v, i) => (data[i] = stamped[Math.floor((i % this.width) / 11)]!));
						return { data: new Uint8ClampedArray(data.buffer) };
					}
				};
			}
		}
	);
	const g = {
		createImageData: (width: number, height: number) =>
			(image = { data: new Uint8ClampedArray(width * height * 4), width, height }),
		putImageData: () => {}
	} as unknown as CanvasRenderingContext2D;
	const height = drawCells(g, cells, grid, paint, {}, (_g, c) => stamped.push(c.mark.charCodeAt(0) * 1000 + c.strain));
	const values = new Uint32Array(image.data.buffer);
	const at = (i: number) => values[(Math.floor(i / 3) * 12 + 10) * image.width + (i % 3) * 12 + 10];
	return { height, at, stamped };
}
afterEach(() => vi.unstubAllGlobals());

test('each state has a shape of its own, not only a colour', () => {
	const shapes = (['use', 'ready', 'off', 'starting', 'trouble'] as const).map((m) =>
		draw(cell(m, 50))
			.map((d) => d.replace(/ .*/, ''))
			.join()
	);
	expect(new Set(shapes).size).toBe(5);
	expect(draw(cell('trouble'))).toEqual(['diamond buoy']);
});
test('the level of a cell is its strain; hard pressed turns to sand', () => {
	expect(draw(cell('use', 50))[1]).toBe('fill sea 0.5 5.5 10 5');
	expect(draw(cell('use', 100))[1]).toBe('fill sand 0.5 0.5 10 10');
	expect(draw(cell('use', 69)).at(-1)).toBe('outline sea');
});
test('cells run on in rows, each with the pixels of its own look', () => {
	const cells = [
		cell('use', 10),
		cell('off', 3),
		cell('use', 90),
		cell('starting'),
		cell('off', 4),
		cell('trouble'),
		cell('ready')
	];
	const { height, at, stamped } = pixels(cells);
	expect(height).toBe(36);
	expect(stamped).toHaveLength(6);
	cells.forEach((c, i) => expect(at(i)).toBe(c.mark.charCodeAt(0) * 1000 + (i === 4 ? 3 : c.strain)));
	expect(at(7)).toBe(0);
});
test('no cells at all draw nothing', () => {
	expect(pixels([]).height).toBe(0);
});
test('cells are the same after their way to the page: names that count on, and any others', () => {
	const names = ['m-0', 'm-1', 'm-09', 'm-10', 'm-11', 'm-13', 'kiosk', 'm-99', 'm-100', '船-7', '12345678901', '0'];
	const cells = names.map((name, i) => {
		const mark = (['use', 'ready', 'off', 'starting', 'trouble', 'use'] as const)[i % 6]!;
		return { name, mark, strain: mark === 'use' ? i * 9 : 0 };
	});
	expect(unpackCells(packCells(cells))).toEqual(cells);
	expect(unpackCells(packCells([]))).toEqual([]);
	const many = Array.from({ length: 20_000 }, (_v, i) => ({
		name: `desk-${String(i).padStart(5, '0')}`,
		mark: 'use' as const,
		strain: i % 101
	}));
	expect(unpackCells(packCells(many))).toEqual(many);
	expect(JSON.stringify(packCells(many)).length).toBeLessThan(27_000);
});
test('the strain of one that is not in use is not told: nothing shows it', () => {
	expect(unpackCells(packCells([{ name: 'a', mark: 'ready', strain: 12 }]))).toEqual([
		{ name: 'a', mark: 'ready', strain: 0 }
	]);
});
