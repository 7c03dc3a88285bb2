/** A machine as a level cell: its mark, and its strain as the level. */
export interface CellMark {
	mark: 'use' | 'ready' | 'off' | 'starting' | 'trouble';
	strain: number;
}

const MARKS = ['use', 'ready', 'off', 'starting', 'trouble'] as const;

/** Names that count on from one to the next: `desk-007` to `desk-019` is `['desk-', 3, 7, 13]`; one that stands alone is itself. */
type NameRun = string | [prefix: string, digits: number, first: number, count: number];

/** Cells on their way to the page: a byte each, and names as they were counted. Thousands of objects would weigh twenty times as much. */
export interface PackedCells {
	names: NameRun[];
	/** Base64 of a byte a cell: the strain of one in use, or above that its mark. */
	looks: string;
}

/** Bytes above every strain stand for the other marks. */
const MARK_BYTE = 128;

export const packCells = (cells: (CellMark & { name: string })[]): PackedCells => ({
	names: packNames(cells.map((c) => c.name)),
	looks: btoa(
		cells
			.map((c) =>
				String.fromCharCode(
					c.mark === 'use' ? Math.max(0, Math.min(100, Math.round(c.strain))) : MARK_BYTE + MARKS.indexOf(c.mark)
				)
			)
			.join('')
	)
});

export function unpackCells({ names, looks }: PackedCells): (CellMark & { name: string })[] {
	const bytes = atob(looks);
	return unpackNames(names).map((name, i) => {
		const byte = bytes.charCodeAt(i);
		return byte < MARK_BYTE ? { name, mark: 'use', strain: byte } : { name, mark: MARKS[byte - MARK_BYTE]!, strain: 0 };
	});
}

function packNames(names: readonly string[]): NameRun[] {
	const runs: NameRun[] = [];
	for (const name of names) {
		// More digits than a number holds exactly are part of the name.
		const digits = /\d{1,9}$/.exec(name)?.[0] ?? '';
		const last = runs.at(-1);
		if (digits === '') runs.push(name);
		else {
			const prefix = name.slice(0, -digits.length);
			const n = Number(digits);
			if (Array.isArray(last) && last[0] === prefix && last[1] === digits.length && last[2] + last[3] === n) last[3]++;
			else runs.push([prefix, digits.length, n, 1]);
		}
	}
	return runs;
}

const unpackNames = (runs: readonly NameRun[]): string[] =>
	runs.flatMap((run) =>
		typeof run === 'string'
			? [run]
			: Array.from({ length: run[3] }, (_v, i) => `${run[0]}${String(run[2] + i).padStart(run[1], '0')}`)
	);

export interface CellPaint {
	sheet: string;
	sea: string;
	sea2: string;
	sand: string;
	buoy: string;
	off: string;
}

export interface CellGrid {
	columns: number;
	/** Of a cell, and of the space between two, in CSS pixels. */
	size: number;
	gap: number;
	/** Device pixels for a CSS pixel. */
	ratio: number;
}

/** Draws one cell with its corner at x, y. A level is cut to whole device pixels. */
export function drawCell(
	g: CanvasRenderingContext2D | OffscreenCanvasRenderingContext2D,
	cell: CellMark,
	x: number,
	y: number,
	{ size, ratio }: CellGrid,
	paint: CellPaint
): void {
	// From this strain on a cell is ochre: the core's HARD_PRESSED. Kept within, so that the function can be measured alone.
	const HARD = 70;
	const left = x + 0.5;
	const top = y + 0.5;
	g.lineWidth = 1;
	if (cell.mark === 'trouble') {
		const half = size / 2;
		g.fillStyle = paint.buoy;
		g.beginPath();
		g.moveTo(left + half, top - 0.5);
		g.lineTo(left + size + 0.5, top + half);
		g.lineTo(left + half, top + size + 0.5);
		g.lineTo(left - 0.5, top + half);
		g.fill();
	} else if (cell.mark === 'off') {
		g.fillStyle = paint.off;
		g.fillRect(left + size * 0.33, top + size * 0.33, size * 0.34, size * 0.34);
	} else if (cell.mark === 'starting') {
		g.strokeStyle = paint.sea2;
		g.setLineDash([2, 2]);
		g.strokeRect(left, top, size, size);
		g.setLineDash([]);
	} else {
		const full = cell.strain >= HARD ? paint.sand : paint.sea;
		g.fillStyle = paint.sheet;
		g.fillRect(left, top, size, size);
		if (cell.mark === 'use') {
			const level = Math.max(1.5, Math.round((size * ratio * Math.min(100, cell.strain)) / 100) / ratio);
			g.fillStyle = full;
			g.fillRect(left, top + size - level, size, level);
		}
		g.strokeStyle = cell.mark === 'use' ? full : paint.sea2;
		g.strokeRect(left, top, size, size);
	}
}

/**
 * Draws cells row by row on a canvas. Returns the height used, in CSS pixels. Few looks are different: each is drawn
 * once, and its pixels are then copied line by line, which takes 20,000 cells through in one frame without a GPU.
 *
 * @param kept carries the pixels over to the next drawing: fresh memory costs as much as drawing does
 */
export function drawCells(
	g: CanvasRenderingContext2D,
	cells: CellMark[],
	grid: CellGrid,
	paint: CellPaint,
	kept: { image?: ImageData } = {},
	draw = drawCell
): number {
	const { columns, ratio, size, gap } = grid;
	const PLAIN = ['ready', 'off', 'starting', 'trouble'];
	const rows = Math.ceil(cells.length / columns);
	const height = rows * (size + gap);
	if (cells.length === 0) return height;

	// A look: a mark, and for a machine in use its strain.
	const looks = new Map<number, number>();
	const examples: CellMark[] = [];
	const lookOf = new Uint16Array(cells.length);
	for (let i = 0; i < cells.length; i++) {
		const cell = cells[i]!;
		const key = cell.mark === 'use' ? cell.strain : -1 - PLAIN.indexOf(cell.mark);
		let look = looks.get(key);
		if (look === undefined) {
			looks.set(key, (look = examples.length));
			examples.push(cell);
		}
		lookOf[i] = look;
	}
	const stamp = Math.ceil((size + 1) * ratio);
	const stamps = new OffscreenCanvas(stamp * examples.length, stamp).getContext('2d', { willReadFrequently: true })!;
	stamps.scale(ratio, ratio);
	examples.forEach((cell, k) => draw(stamps, cell, (k * stamp) / ratio, 0, grid, paint));
	const wide = stamp * examples.length;
	const from = new Uint32Array(stamps.getImageData(0, 0, wide, stamp).data.buffer);

	// At a ratio that is no whole number, cells keep to whole device pixels and the gaps take up the rest.
	const place = (n: number) => Math.round(n * (size + gap) * ratio);
	const lefts = Uint32Array.from({ length: columns }, (_v, column) => place(column));
	const line = place(columns);
	if (kept.image?.width !== line || kept.image.height !== place(rows))
		kept.image = g.createImageData(line, place(rows));
	const { image } = kept;
	const to = new Uint32Array(image.data.buffer);
	// Of another number of cells, the last row may still show some.
	to.fill(0, place(rows - 1) * line);
	for (let row = 0; row < rows; row++) {
		const first = row * columns;
		const last = Math.min(cells.length, first + columns);
		for (let y = 0; y < stamp; y++) {
			const target = (place(row) + y) * line;
			for (let i = first; i < last; i++) {
				const t = target + lefts[i - first]!;
				const s = y * wide + lookOf[i]! * stamp;
				for (let x = 0; x < stamp; x++) to[t + x] = from[s + x]!;
			}
		}
	}
	g.putImageData(image, 0, 0);
	return height;
}
