import type Database from 'better-sqlite3';
import { strainValue } from '$lib/core/watch/strain';
import { all, one, run, type Db } from '../db';
import { HOST_SAMPLE_WIDTH, SAMPLE_WIDTH, type Observation } from '../providers';
import { QUARTER, SERIES, type Sampled, type Series } from './series';

type Samples = Extract<Observation, { kind: 'samples' }>;

/** Samples written by one statement; what is left over goes by the smaller ones. */
const ROWS = 256;
const FEWER = [64, 8, 1];
const COLUMNS = SERIES.machine.columns.length;
/** The values bound for each: its time, whose it is, and the columns. */
const BOUND = 2 + COLUMNS;

const insertSql = ({ key, columns }: Series, table: string, rows: number): string => {
	const names = ['at', key, ...columns];
	const row = `(${names.map(() => '?').join(', ')})`;
	return `INSERT OR REPLACE INTO ${table}(${names.join(', ')}) VALUES ${Array(rows).fill(row).join()}`;
};

const MINUTES = SERIES.machine.tables[0].table;
const HOST_INSERT = insertSql(SERIES.host, SERIES.host.tables[0].table, 1);

/**
 * Sums up the finest samples of a step into the next coarser one, in memory as they come: one row of numbers for each that gives any.
 * Samples come in much the same order each minute: whoever came next the last time is tried first, and only who does not is looked for.
 */
class Sums {
	private readonly rowOf = new Map<number, number>();
	readonly ids: number[] = [];
	/** Of each row the name it was last found by, and the row that came after it. */
	private readonly names: (string | undefined)[] = [];
	private readonly next: number[] = [];
	private first = -1;
	private readonly width: number;
	/** Columns before this one are summed, the others kept as the highest. */
	private readonly summed: number;
	private counts: Float64Array<ArrayBuffer> = new Float64Array(64);
	private values: Float64Array<ArrayBuffer>;

	constructor(
		private readonly series: Series,
		/** The number of what is called so, where there is one. */
		private readonly id: (name: string) => number | undefined
	) {
		this.width = series.columns.length;
		this.summed = this.width - series.highest.length;
		if (series.columns.slice(this.summed).some((c) => !series.highest.includes(c)))
			throw new Error(`what is kept as the highest of a step comes last among the columns of ${series.key}`);
		this.values = new Float64Array(64 * this.width);
	}

	/** The row of what is called so, which came after another row or first (−1); −1 where nothing is called so. */
	row(name: string, after: number): number {
		const expected = after < 0 ? this.first : this.next[after]!;
		if (expected >= 0 && this.names[expected] === name) return expected;
		const id = this.id(name);
		if (id === undefined) return -1;
		const row = this.rowOfId(id);
		this.names[row] = name;
		if (after < 0) this.first = row;
		else this.next[after] = row;
		return row;
	}

	rowOfId(id: number): number {
		return this.rowOf.get(id) ?? this.begin(id);
	}

	/** Names may stand for others than before: all are looked for anew. */
	forget(): void {
		this.names.fill(undefined);
	}

	/** Adds a sample to a row: its values stand at `from`. */
	add(row: number, values: readonly number[], from: number): void {
		const to = row * this.width;
		const sums = this.values;
		this.counts[row]!++;
		for (let i = 0; i < this.summed; i++) sums[to + i]! += values[from + i]!;
		for (let i = this.summed; i < this.width; i++)
			if (values[from + i]! > sums[to + i]!) sums[to + i] = values[from + i]!;
	}

	private begin(id: number): number {
		const row = this.ids.push(id) - 1;
		this.rowOf.set(id, row);
		this.names.push(undefined);
		this.next.push(-1);
		if (row === this.counts.length) {
			this.counts = grown(this.counts);
			this.values = grown(this.values);
		}
		return row;
	}

	/** Writes what has been summed up, and begins anew. */
	write(db: Db, at: number): void {
		const sql = insertSql(this.series, this.series.tables[1].table, 1);
		this.ids.forEach((id, row) => {
			const n = this.counts[row]!;
			const own = this.values.subarray(row * this.width, (row + 1) * this.width);
			run(db, sql, [at, id, ...Array.from(own, (sum, i) => (i < this.summed ? Math.round(sum / n) : sum))]);
		});
		this.rowOf.clear();
		this.ids.length = this.names.length = this.next.length = 0;
		this.first = -1;
		this.counts.fill(0);
		this.values.fill(0);
	}
}

function grown(from: Float64Array): Float64Array<ArrayBuffer> {
	const to = new Float64Array(from.length * 2);
	to.set(from);
	return to;
}

/** Sums up the rows of one table within a step of the next coarser one. */
function sumUp(db: Db, { key, columns, highest, tables }: Series, coarser: number, at: number): void {
	const [finer, { table, step }] = [tables[coarser - 1]!, tables[coarser]!];
	const sums = columns.map((c) => (highest.includes(c) ? `max(${c})` : `CAST(round(avg(${c})) AS INTEGER)`));
	run(
		db,
		`INSERT OR REPLACE INTO ${table}(at, ${key}, ${columns.join(', ')})
		 SELECT @at, ${key}, ${sums.join(', ')} FROM ${finer.table} WHERE at >= @at AND at < @at + @step GROUP BY ${key}`,
		{ at, step }
	);
}

/**
 * Writes samples down as they are observed: the finest as rows, the quarter hours summed up in memory and written when they have ended,
 * what is coarser from those. What is older than it is kept goes.
 */
export class SampleWriter {
	private readonly inserts = new Map<number, Database.Statement<unknown[]>>();
	// Begun with nulls: it then holds whole numbers as they are. An array of doubles would make each of them anew to be bound.
	private readonly bound = new Array<number | null>(ROWS * BOUND).fill(null) as number[];
	private readonly sums: Record<Sampled, Sums>;
	private quarter = -1;
	private asNamed = true;

	constructor(
		private readonly db: Db,
		/** The numbers of machines and hosts; of those that have none nothing is written. */
		id: Record<Sampled, (name: string) => number | undefined>
	) {
		this.sums = { machine: new Sums(SERIES.machine, id.machine), host: new Sums(SERIES.host, id.host) };
		this.resume();
	}

	/** A name may stand for another than before, or for nothing. */
	renamed(): void {
		this.asNamed = false;
	}

	/** Takes samples of one moment in. Those before `keepFrom`, ms UTC, are only summed up. */
	take(o: Samples, keepFrom: number): void {
		if (!this.asNamed) for (const sums of Object.values(this.sums)) sums.forget();
		this.asNamed = true;
		const quarter = Math.floor(o.at / QUARTER) * QUARTER;
		if (quarter !== this.quarter) this.close(quarter);
		this.machines(o, o.at >= keepFrom);
		this.hosts(o, o.at >= keepFrom);
	}

	private machines(o: Samples, keep: boolean): void {
		// The busiest statement there is: many rows at a time, and no array made for each.
		const many = this.insert(ROWS);
		const { bound } = this;
		const { values } = o;
		const sums = this.sums.machine;
		let rows = 0;
		let last = -1;
		for (let i = 0; i < o.machines.length; i++) {
			const row = sums.row(o.machines[i]!, last);
			if (row < 0) continue;
			last = row;
			const at = i * SAMPLE_WIDTH;
			const cores = values[at]!;
			const memory = values[at + 1]!;
			const disk = values[at + 2]!;
			const gpu = values[at + 3]!;
			const input = values[at + 4]!;
			const trip = values[at + 5]!;
			const b = rows * BOUND;
			bound[b] = o.at;
			bound[b + 1] = sums.ids[row]!;
			bound[b + 2] = Math.round(cores * 1000);
			bound[b + 3] = Math.round(memory * 1000);
			bound[b + 4] = Math.round(disk * 1000);
			bound[b + 5] = gpu < 0 ? -1 : Math.round(gpu * 1000);
			bound[b + 6] = Math.round(input * 1000);
			bound[b + 7] = Math.round(trip * 1000);
			bound[b + 8] = values[at + 6]!;
			bound[b + 9] = strainValue(cores, memory, disk, gpu < 0 ? null : gpu, input, trip);
			sums.add(row, bound, b + 2);
			if (keep && ++rows === ROWS) {
				many.run(bound);
				rows = 0;
			}
		}
		let from = 0;
		for (const fewer of FEWER)
			for (; rows - from >= fewer; from += fewer)
				this.insert(fewer).run(bound.slice(from * BOUND, (from + fewer) * BOUND));
	}

	private insert(rows: number): Database.Statement<unknown[]> {
		let statement = this.inserts.get(rows);
		if (!statement) this.inserts.set(rows, (statement = this.db.prepare(insertSql(SERIES.machine, MINUTES, rows))));
		return statement;
	}

	private hosts(o: Samples, keep: boolean): void {
		const sums = this.sums.host;
		let last = -1;
		o.hosts.forEach((name, i) => {
			const of = sums.row(name, last);
			if (of < 0) return;
			last = of;
			const at = i * HOST_SAMPLE_WIDTH;
			const row = [0, 1, 2].map((k) => (o.hostValues[at + k]! < 0 ? -1 : Math.round(o.hostValues[at + k]! * 1000)));
			if (keep) run(this.db, HOST_INSERT, [o.at, sums.ids[of], ...row]);
			sums.add(of, row, 0);
		});
	}

	/** Writes the quarter hour that has ended, what is coarser when it has, and forgets what is no longer kept. */
	private close(next: number): void {
		const was = this.quarter;
		this.quarter = next;
		if (was < 0) return;
		for (const [of, series] of Object.entries(SERIES) as [Sampled, Series][]) {
			this.sums[of].write(this.db, was);
			series.tables.forEach(({ table, step, kept }, i) => {
				const begun = Math.floor(was / step) * step;
				if (i > 1 && Math.floor(next / step) * step !== begun) sumUp(this.db, series, i, begun);
				if (kept !== Infinity) run(this.db, `DELETE FROM ${table} WHERE at < ?`, [next - kept]);
			});
		}
	}

	/** After a restart: the minutes of the running quarter hour count on. */
	private resume(): void {
		const last = one<{ at: number | null }>(this.db, `SELECT max(at) AS at FROM ${SERIES.machine.tables[0].table}`)?.at;
		if (last === null || last === undefined) return;
		this.quarter = Math.floor(last / QUARTER) * QUARTER;
		for (const [of, { key, columns, tables }] of Object.entries(SERIES) as [Sampled, Series][])
			for (const r of all<Record<string, number>>(this.db, `SELECT * FROM ${tables[0].table} WHERE at >= ?`, [
				this.quarter
			]))
				this.sums[of].add(
					this.sums[of].rowOfId(r[key]!),
					columns.map((c) => r[c]!),
					0
				);
	}
}
