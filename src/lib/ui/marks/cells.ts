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

/** What a canvas holds, carried over from one drawing to the next. */
export interface KeptCells {
	image?: ImageData;
	/** How each cell looks there, by the key of its look. */
	looks?: Int16Array;
	/** What the looks were drawn with: another grid or other paint makes all of them new. */
	drawnWith?: string;
}

/**
 * Draws cells row by row on a canvas. Returns the height used, in CSS pixels. Few looks are different: each is drawn
 * once, and its pixels are then copied line by line; of a picture that is kept only the cells that look otherwise than before.
 *
 * @param kept what the canvas holds; it has to be the same canvas, of the same size
 */
export function drawCells(
	g: CanvasRenderingContext2D,
	cells: readonly CellMark[],
	grid: CellGrid,
	paint: CellPaint,
	kept: KeptCells = {},
	draw = drawCell
): number {
	const { columns, ratio, size, gap } = grid;
	const PLAIN = ['ready', 'off', 'starting', 'trouble'];
	const rows = Math.ceil(cells.length / columns);
	const height = rows * (size + gap);
	if (cells.length === 0) return height;

	// At a ratio that is no whole number, cells keep to whole device pixels and the gaps take up the rest.
	const edge = (n: number) => Math.round(n * (size + gap) * ratio);
	const line = edge(columns);
	const stamp = Math.ceil((size + 1) * ratio);
	// Memory of its own for as many cells, and for looks of the same grid and paint.
	const drawnWith = [columns, ratio, size, gap, ...Object.values(paint)].join();
	const fresh =
		kept.drawnWith !== drawnWith || kept.image?.height !== edge(rows) || kept.looks?.length !== cells.length;
	if (kept.image?.width !== line || kept.image.height !== edge(rows)) kept.image = g.createImageData(line, edge(rows));
	else if (fresh) new Uint32Array(kept.image.data.buffer).fill(0, edge(rows - 1) * line);
	const before = fresh ? null : kept.looks!;
	const now = new Int16Array(cells.length);
	kept.looks = now;
	kept.drawnWith = drawnWith;

	// A look: a mark, and for a machine in use its strain. What looks as before is passed over.
	const looks = new Map<number, number>();
	const examples: CellMark[] = [];
	const changed: number[] = [];
	const lookOf: number[] = [];
	for (let i = 0; i < cells.length; i++) {
		const cell = cells[i]!;
		const key = cell.mark === 'use' ? cell.strain : -1 - PLAIN.indexOf(cell.mark);
		now[i] = key;
		if (before !== null && before[i] === key) continue;
		let look = looks.get(key);
		if (look === undefined) {
			looks.set(key, (look = examples.length));
			examples.push(cell);
		}
		changed.push(i);
		lookOf.push(look);
	}
	const { image } = kept;
	if (changed.length > 0) {
		const stamps = new OffscreenCanvas(stamp * examples.length, stamp).getContext('2d', { willReadFrequently: true })!;
		stamps.scale(ratio, ratio);
		examples.forEach((cell, k) => draw(stamps, cell, (k * stamp) / ratio, 0, grid, paint));
		const wide = stamp * examples.length;
		const from = new Uint32Array(stamps.getImageData(0, 0, wide, stamp).data.buffer);
		const lefts = Uint32Array.from({ length: columns }, (_v, column) => edge(column));
		const to = new Uint32Array(image.data.buffer);
		for (let k = 0; k < changed.length; k++) {
			const i = changed[k]!;
			const row = Math.floor(i / columns);
			let t = edge(row) * line + lefts[i - row * columns]!;
			let s = lookOf[k]! * stamp;
			for (let y = 0; y < stamp; y++, t += line, s += wide) for (let x = 0; x < stamp; x++) to[t + x] = from[s + x]!;
		}
	}
	// Rows that nothing has changed in stay as they are on the canvas.
	const first = changed.length ? Math.floor(changed[0]! / columns) : 0;
	const last = changed.length ? Math.floor(changed.at(-1)! / columns) : -1;
	if (fresh) g.putImageData(image, 0, 0);
	else if (last >= first) g.putImageData(image, 0, 0, 0, edge(first), line, edge(last + 1) - edge(first));
	return height;
}
