import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import type { Estate } from '$lib/core/estate/schema';
import { readEstate, type EstateProblem } from '$lib/core/estate/read';
import { MINUTE } from '$lib/core/time/units';
import type { Db } from './db';
import type { Vault } from './vault';
import type { Packer } from './packing/packer';
import { settleEstate } from './settle';
import { configureBroker } from './publishing';
import { Engine } from './engine/engine';
import { MINUTES_KEPT } from './samples/series';
import { beginning } from './simulator/genesis';
import { Lab } from './simulator/lab';
import { LabServer } from './simulator/server';

/** Reads an estate file from disk, with the CSV beside it. */
export function loadEstate(path: string): { estate: Estate } | { problems: EstateProblem[] } {
	const beside = (name: string) => {
		try {
			return readFileSync(join(dirname(path), name), 'utf8');
		} catch {
			return null;
		}
	};
	return readEstate(readFileSync(path, 'utf8'), path, beside);
}

/**
 * Lives an estate's history through: lab and engine in lockstep, minute by minute, as fast as they can.
 * The database has to be empty. Returns the lab as it is at the end.
 */
export async function makeHistory(
	db: Db,
	estate: Estate,
	vault: Vault,
	packer: Packer,
	progress: (share: number) => void = () => {}
): Promise<Lab> {
	const lab = new Lab(estate);
	const server = new LabServer(lab);
	const from = beginning(estate);
	settleEstate(db, estate, from, { addressOf: (login) => lab.world.people.get(login)!.address, vault });
	const ctx = { db, providers: server.providers, clock: { now: () => lab.now, speed: () => 0 }, vault, packer };
	const engine = new Engine(ctx);
	engine.observer.keepMinutesFrom = estate.lab.opens - MINUTES_KEPT;
	await engine.observe();
	await configureBroker(ctx);
	const end = estate.lab.opens;
	for (let t = from; t < end;) {
		t = Math.min(end, (Math.floor(t / MINUTE) + 1) * MINUTE);
		server.advance(t);
		await engine.observe();
		await engine.minute(t, { sweepEvery: 10 * MINUTE, forecast: t > end - 11 * MINUTE });
		if (t % (60 * MINUTE) === 0) progress((t - from) / (end - from));
	}
	await engine.observe();
	return lab;
}
