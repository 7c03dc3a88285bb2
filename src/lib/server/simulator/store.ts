import Database from 'better-sqlite3';
import { deserialize, serialize } from 'node:v8';
import type { Estate } from '$lib/core/estate/schema';
import { Lab } from './lab';
import type { Command, World } from './state';

/** The shape of the stored world: counts up when `World` changes, since an older one cannot go on in the new code. */
const SHAPE = 16;

/** The store is another version's: nothing is wrong with it, and no try will help. */
export class LabRefused extends Error {}

/**
 * The lab's own store. It keeps the world as it was at one moment, every command since, and how far the clock
 * has come; the rest follows, because the lab is deterministic. A command is written down before it is applied,
 * and time before anybody is told of it, so that a process that dies at any point loses nothing that was seen.
 */
export class LabStore {
	private readonly db: Database.Database;

	constructor(path: string) {
		this.db = new Database(path);
		this.db.pragma('journal_mode = WAL');
		this.db.pragma('synchronous = NORMAL');
		this.db.exec(`
			CREATE TABLE IF NOT EXISTS snapshot(one INTEGER PRIMARY KEY CHECK (one = 1), estate BLOB NOT NULL, world BLOB NOT NULL) STRICT;
			CREATE TABLE IF NOT EXISTS journal(id INTEGER PRIMARY KEY, at INTEGER NOT NULL, command TEXT NOT NULL) STRICT;
			CREATE TABLE IF NOT EXISTS mark(one INTEGER PRIMARY KEY CHECK (one = 1), now INTEGER NOT NULL, speed REAL NOT NULL) STRICT;
		`);
	}

	/** The lab as it was when the process ended, or null when there is none yet. */
	load(): { lab: Lab; speed: number } | null {
		const row = this.db.prepare('SELECT estate, world FROM snapshot').get() as
			{ estate: Buffer; world: Buffer } | undefined;
		if (!row) return null;
		if (this.db.pragma('user_version', { simple: true }) !== SHAPE)
			throw new LabRefused('the lab was stored by another version of Sextant; start with --fresh to make it anew');
		const lab = new Lab(deserialize(row.estate) as Estate, deserialize(row.world) as World);
		const commands = this.db.prepare('SELECT at, command FROM journal ORDER BY id').all() as {
			at: number;
			command: string;
		}[];
		for (const { at, command } of commands) {
			lab.advance(at);
			try {
				// A line that cannot be read is as one that failed.
				lab.apply(JSON.parse(command) as Command);
			} catch {
				// It failed the first time too, and its caller was told so then.
			}
		}
		const mark = this.db.prepare('SELECT now, speed FROM mark').get() as { now: number; speed: number } | undefined;
		if (mark) lab.advance(mark.now);
		return { lab, speed: mark?.speed ?? 0 };
	}

	/** Keeps the whole world; the journal before it is no longer needed. */
	snapshot(lab: Lab, speed: number): void {
		const world = serialize(lab.world);
		this.db
			.transaction(() => {
				const estate = this.db.prepare('SELECT estate FROM snapshot').get() as { estate: Buffer } | undefined;
				this.db
					.prepare('INSERT OR REPLACE INTO snapshot(one, estate, world) VALUES (1, ?, ?)')
					.run(estate?.estate ?? serialize(lab.estate), world);
				this.db.prepare('DELETE FROM journal').run();
				this.db.pragma(`user_version = ${SHAPE}`);
				this.mark(lab.now, speed);
			})
			.immediate();
	}

	record(at: number, command: Command): void {
		this.db.prepare('INSERT INTO journal(at, command) VALUES (?, ?)').run(Math.round(at), JSON.stringify(command));
	}

	mark(now: number, speed: number): void {
		this.db.prepare('INSERT OR REPLACE INTO mark(one, now, speed) VALUES (1, ?, ?)').run(Math.round(now), speed);
	}

	close(): void {
		this.db.close();
	}
}
