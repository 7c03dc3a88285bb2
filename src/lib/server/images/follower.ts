import { headroomAt } from '$lib/core/capacity/policy';
import { FOREVER } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import type { Observed } from '../manifest';
import { act, poolsAt } from '../pools';
import type { Context } from '../context';
import { all, one, run } from '../db';
import { AT_ONCE } from './expected';
import { followingAt, moveOf, poolsBehind, versionsInUse, type Following, type OnVersion } from './following';

/**
 * Carries follow rules out: minute by minute, machines that are free to take the version that their rule asks for take it.
 * What is decided is written down before the provider is asked, so that a process that dies goes on where it was.
 */
export class Follower {
	private stopped = false;
	private known: { observer: Observed; placings: number; groups: readonly OnVersion[] } | null = null;
	private resumed = false;

	constructor(
		private readonly ctx: Context,
		/** What it knows of machines is what this has observed. */
		private readonly seen: () => Observed
	) {}

	private get machines() {
		return this.seen().machines;
	}

	/** Versions that machines are on, read anew only when a machine has been made, moved or removed. */
	private inUse(): readonly OnVersion[] {
		const observer = this.seen();
		if (this.known?.observer !== observer || this.known.placings !== observer.placings)
			this.known = { observer, placings: observer.placings, groups: versionsInUse(this.ctx.db) };
		return this.known.groups;
	}

	stop(): void {
		this.stopped = true;
	}

	/** Starts the moves that are due. `busy`: machines that jobs work on. */
	minute(now: number, busy: ReadonlySet<string>): void {
		const { db } = this.ctx;
		if (!this.resumed) this.resume();
		const behind = poolsBehind(db, now, this.inUse());
		if (behind.length === 0) return;
		const f = followingAt(db, now, busy, {}, { pools: behind });
		const pools = new Map(poolsAt(db, now).map((p) => [p.id, p]));
		const running = new Map<string, number>();
		for (const r of all<{ site: string; n: number }>(
			db,
			'SELECT m.site_id AS site, count(*) AS n FROM moves mv JOIN machines m ON m.id = mv.machine_id WHERE mv.ended IS NULL GROUP BY 1'
		))
			running.set(r.site, r.n);
		/** Free seats of a shared pool beyond its headroom: what can be taken out without anybody waiting. */
		const spare = new Map<string, number>();
		const spareOf = (pool: string) => {
			let n = spare.get(pool);
			if (n === undefined) {
				const p = pools.get(pool);
				const free = [...this.machines.values()]
					.filter((m) => m.pool === pool && (m.state === 'ready' || m.state === 'in use'))
					.reduce((sum, m) => sum + Math.max(0, (p?.perMachine ?? 1) - m.sessions), 0);
				spare.set(pool, (n = p ? free - headroomAt(p.policy, p.zone, now) : 0));
			}
			return n;
		};
		const standIns = new Set<string>();
		for (const m of f.machines) {
			const move = moveOf(f, m);
			if (!move.value.now || move.value.to === null) continue;
			const there = running.get(m.site) ?? 0;
			if (there >= AT_ONCE) continue;
			// A machine that people could come to is only taken where enough seats stay free for them.
			const seats = pools.get(m.pool)?.perMachine ?? 1;
			if (m.on && !m.personal) {
				if (spareOf(m.pool) < seats) {
					if (!standIns.has(m.pool)) this.startStandIn(f, m.pool, pools.get(m.pool)?.policy.most ?? 0, busy, now);
					standIns.add(m.pool);
					continue;
				}
				spare.set(m.pool, spareOf(m.pool) - seats);
			}
			running.set(m.site, there + 1);
			this.begin(m, move.value.to, move.facts, now);
		}
	}

	/** Where every seat is needed, a machine that is as its rule asks stands in for the next one to change: it is started first. */
	private startStandIn(f: Following, pool: string, most: number, busy: ReadonlySet<string>, now: number): void {
		const own = [...this.machines.values()].filter((m) => m.pool === pool);
		if (
			own.some((m) => m.state === 'starting' || m.state === 'agent up') ||
			own.filter((m) => m.state !== 'off').length >= most
		)
			return;
		const changed = new Set(
			f.machines.filter((m) => m.pool === pool && moveOf(f, m).value.reason === 'has it').map((m) => m.name)
		);
		const next = own.find((m) => m.state === 'off' && changed.has(m.name) && !busy.has(m.name));
		if (!next) return;
		const why: Fact = {
			words: 'it stands in while others of its pool change their version',
			side: 'for',
			source: 'follow rules'
		};
		act(this.ctx, next, 'start', [why.words], JSON.stringify([why]), now);
	}

	private begin(
		m: { id: number; name: string; line: string; version: string },
		to: string,
		facts: Fact[],
		now: number
	): void {
		const id = Number(
			run(
				this.ctx.db,
				'INSERT INTO moves(machine_id, line_id, from_version, to_version, began, facts) VALUES (?, ?, ?, ?, ?, ?)',
				[m.id, m.line, m.version, to, now, JSON.stringify(facts)]
			).lastInsertRowid
		);
		void this.carry(id, m.name, to, now);
	}

	/** Takes up the moves that were under way when the process ended. */
	private resume(): void {
		this.resumed = true;
		for (const mv of all<{ id: number; name: string; to: string; began: number }>(
			this.ctx.db,
			`SELECT mv.id, m.name, mv.to_version AS "to", mv.began FROM moves mv JOIN machines m ON m.id = mv.machine_id WHERE mv.ended IS NULL AND m.until = ${FOREVER}`
		))
			void this.carry(mv.id, mv.name, mv.to, mv.began);
	}

	private async carry(id: number, name: string, to: string, began: number): Promise<void> {
		const { broker, compute } = this.ctx.providers;
		// A move that gave way leaves no row, and the next one may have its number: by itself it would be answered what that was.
		const key = `move-${id}-${began}`;
		let error: string | null = null;
		let gaveWay = false;
		try {
			// Somebody may have come in the meantime: then it is theirs, and its turn comes another time.
			gaveWay = (await broker.setAside([name], true, `${key}-aside`)).length > 0;
			if (!gaveWay) await compute.reset(name, to, key);
		} catch (e) {
			error = e instanceof Error ? e.message : String(e);
		}
		await broker.setAside([name], false, `${key}-back`).catch(() => {});
		if (this.stopped) return;
		const { db, clock } = this.ctx;
		if (gaveWay) run(db, 'DELETE FROM moves WHERE id = ? AND began = ?', [id, began]);
		else if (one(db, 'SELECT 1 FROM moves WHERE id = ? AND began = ? AND ended IS NULL', [id, began]))
			run(db, 'UPDATE moves SET ended = ?, error = ? WHERE id = ?', [clock.now(), error, id]);
	}
}
