import type Database from 'better-sqlite3';
import { strainValue } from '$lib/core/watch/strain';
import { all, one, run, type Db } from '../db';
import { HOST_SAMPLE_WIDTH, SAMPLE_WIDTH, type Observation } from '../providers';
import { QUARTER, SERIES, type Sampled, type Series } from './series';

type Samples = Extract<Observation, { kind: 'samples' }>;

/** Samples written by one statement, and the values bound for each: its time, whose it is, and the columns. */
const ROWS = 64;
const COLUMNS = SERIES.machine.columns.length;
const BOUND = 2 + COLUMNS;

const insertSql = ({ key, columns }: Series, table: string, rows: number): string => {
	const names = ['at', key, ...columns];
	const row = `(${names.map(() => '?').join(', ')})`;
	return `INSERT OR REPLACE INTO ${table}(${names.join(', ')}) VALUES ${Array(rows).fill(row).join()}`;
};

const MINUTES = SERIES.machine.tables[0].table;
const HOST_INSERT = insertSql(SERIES.host, SERIES.host.tables[0].table, 1);

/** Sums up the finest samples of a step into the next coarser one, in memory as they come: one row of numbers for each that gives any. */
class Sums {
	private readonly rowOf = new Map<number, number>();
	private readonly ids: number[] = [];
	private readonly width: number;
	/** Columns before this one are summed, the others kept as the highest. */
	private readonly summed: number;
	private counts: Float64Array<ArrayBuffer> = new Float64Array(64);
	private values: Float64Array<ArrayBuffer>;

	constructor(private readonly series: Series) {
		this.width = series.columns.length;
		this.summed = this.width - series.highest.length;
		if (series.columns.slice(this.summed).some((c) => !series.highest.includes(c)))
			throw new Error(`what is kept as the highest of a step comes last among the columns of ${series.key}`);
		this.values = new Float64Array(64 * this.width);
	}

	/** Adds a sample: its values stand at `from`. */
	add(id: number, values: readonly number[], from: number): void {
		const row = this.rowOf.get(id) ?? this.begin(id);
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
		this.ids.length = 0;
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
	private many: Database.Statement<unknown[]> | undefined;
	// Begun with nulls: it then holds whole numbers as they are. An array of doubles would make each of them anew to be bound.
	private readonly bound = new Array<number | null>(ROWS * BOUND).fill(null) as number[];
	private readonly sums: Record<Sampled, Sums> = { machine: new Sums(SERIES.machine), host: new Sums(SERIES.host) };
	private quarter = -1;

	constructor(
		private readonly db: Db,
		/** The numbers of machines and hosts; of those that have none nothing is written. */
		private readonly id: Record<Sampled, (name: string) => number | undefined>
	) {
		this.resume();
	}

	/** Takes samples of one moment in. Those before `keepFrom`, ms UTC, are only summed up. */
	take(o: Samples, keepFrom: number): void {
		const quarter = Math.floor(o.at / QUARTER) * QUARTER;
		if (quarter !== this.quarter) this.close(quarter);
		this.machines(o, o.at >= keepFrom);
		this.hosts(o, o.at >= keepFrom);
	}

	private machines(o: Samples, keep: boolean): void {
		// The busiest statement there is: many rows at a time, and no array made for each.
		const many = (this.many ??= this.db.prepare(insertSql(SERIES.machine, MINUTES, ROWS)));
		const { bound } = this;
		const { values } = o;
		let rows = 0;
		for (let i = 0; i < o.machines.length; i++) {
			const id = this.id.machine(o.machines[i]!);
			if (id === undefined) continue;
			const at = i * SAMPLE_WIDTH;
			const cores = values[at]!;
			const memory = values[at + 1]!;
			const disk = values[at + 2]!;
			const gpu = values[at + 3]!;
			const input = values[at + 4]!;
			const trip = values[at + 5]!;
			const b = rows * BOUND;
			bound[b] = o.at;
			bound[b + 1] = id;
			bound[b + 2] = Math.round(cores * 1000);
			bound[b + 3] = Math.round(memory * 1000);
			bound[b + 4] = Math.round(disk * 1000);
			bound[b + 5] = gpu < 0 ? -1 : Math.round(gpu * 1000);
			bound[b + 6] = Math.round(input * 1000);
			bound[b + 7] = Math.round(trip * 1000);
			bound[b + 8] = values[at + 6]!;
			bound[b + 9] = strainValue(cores, memory, disk, gpu < 0 ? null : gpu, input, trip);
			this.sums.machine.add(id, bound, b + 2);
			if (keep && ++rows === ROWS) {
				many.run(bound);
				rows = 0;
			}
		}
		if (rows > 0) this.db.prepare(insertSql(SERIES.machine, MINUTES, rows)).run(bound.slice(0, rows * BOUND));
	}

	private hosts(o: Samples, keep: boolean): void {
		o.hosts.forEach((name, i) => {
			const id = this.id.host(name);
			if (id === undefined) return;
			const at = i * HOST_SAMPLE_WIDTH;
			const row = [0, 1, 2].map((k) => (o.hostValues[at + k]! < 0 ? -1 : Math.round(o.hostValues[at + k]! * 1000)));
			if (keep) run(this.db, HOST_INSERT, [o.at, id, ...row]);
			this.sums.host.add(id, row, 0);
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
					r[key]!,
					columns.map((c) => r[c]!),
					0
				);
	}
}
