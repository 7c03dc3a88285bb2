import { area, curveStepAfter, line } from 'd3-shape';

/** Marks that stand on a chart of our own, as SVG paths to a tenth of a pixel. */
export type Point = readonly [x: number, y: number];

const x = (p: Point) => p[0];
const y = (p: Point) => p[1];

/** A line through points. */
export const linePath = (points: readonly Point[]): string => line<Point>().x(x).y(y).digits(1)([...points]) ?? '';

/** A line that keeps its height until the next point. */
export const stepPath = (points: readonly Point[]): string =>
	line<Point>().x(x).y(y).curve(curveStepAfter).digits(1)([...points]) ?? '';

/** What lies between two heights at each x. */
export const bandPath = (points: readonly (readonly [x: number, low: number, high: number])[]): string =>
	area<readonly [number, number, number]>()
		.x((p) => p[0])
		.y0((p) => p[1])
		.y1((p) => p[2])
		.digits(1)([...points]) ?? '';
