/** A machine as a level cell: its mark, and its strain as the level. */
export interface CellMark {
	mark: 'use' | 'ready' | 'off' | 'starting' | 'trouble';
	strain: number;
}

export interface CellPaint {
	sheet: string;
	sea: string;
	sea2: string;
	sand: string;
	buoy: string;
	off: string;
}

/** Draws cells row by row on a canvas, `columns` wide, each `size` with `gap` between. Returns the height used. */
export function drawCells(
	g: CanvasRenderingContext2D,
	cells: CellMark[],
	columns: number,
	size: number,
	gap: number,
	paint: CellPaint
): number {
	// From this strain on a cell is ochre: the core's HARD_PRESSED. Kept within, so that the function can be measured alone.
	const HARD = 70;
	const step = size + gap;
	g.lineWidth = 1;
	for (let i = 0; i < cells.length; i++) {
		const cell = cells[i]!;
		const x = (i % columns) * step + 0.5;
		const y = Math.floor(i / columns) * step + 0.5;
		if (cell.mark === 'trouble') {
			const half = size / 2;
			g.fillStyle = paint.buoy;
			g.beginPath();
			g.moveTo(x + half, y - 0.5);
			g.lineTo(x + size + 0.5, y + half);
			g.lineTo(x + half, y + size + 0.5);
			g.lineTo(x - 0.5, y + half);
			g.fill();
		} else if (cell.mark === 'off') {
			g.fillStyle = paint.off;
			g.fillRect(x + size * 0.33, y + size * 0.33, size * 0.34, size * 0.34);
		} else if (cell.mark === 'starting') {
			g.strokeStyle = paint.sea2;
			g.setLineDash([2, 2]);
			g.strokeRect(x, y, size, size);
			g.setLineDash([]);
		} else {
			const hard = cell.strain >= HARD;
			g.fillStyle = paint.sheet;
			g.fillRect(x, y, size, size);
			if (cell.mark === 'use') {
				const level = Math.max(1.5, (size * Math.min(100, cell.strain)) / 100);
				g.fillStyle = hard ? paint.sand : paint.sea;
				g.fillRect(x, y + size - level, size, level);
			}
			g.strokeStyle = cell.mark === 'use' ? (hard ? paint.sand : paint.sea) : paint.sea2;
			g.strokeRect(x, y, size, size);
		}
	}
	return Math.ceil(cells.length / columns) * step;
}
