import { readFileSync } from 'node:fs';
import { dirname, join } from 'node:path';
import { beginning, type Estate } from '$lib/core/estate/schema';
import { readEstate, type EstateProblem } from '$lib/core/estate/read';
import { MINUTE } from '$lib/core/time/units';
import { actsOf, actProblems, settleOperators } from './acts';
import type { Db } from './db';
import type { Vault } from './vault';
import { BlobStore } from './packing/blobs';
import { makePacker } from './packing/packer';
import { definitionOf } from './packing/reading';
import { settleEstate } from './settle';
import { configureBroker } from './publishing';
import { tellRules } from './reach';
import { tellSettings } from './settings';
import { Lockstep } from './lockstep';
import { MINUTES_KEPT } from './samples/series';
import { wholeDirectory } from './simulator/directory';
import { Lab } from './simulator/lab';
import type { Aside } from './simulator/twin';
import type { Progress } from './process';

/** Reads an estate file from disk, with the CSV beside it. */
export function loadEstate(path: string): { estate: Estate } | { problems: EstateProblem[] } {
	const beside = (name: string) => {
		try {
			return readFileSync(join(dirname(path), name), 'utf8');
		} catch {
			return null;
		}
	};
	return readEstate(readFileSync(path, 'utf8'), path, beside, actProblems);
}

/** Checks are run, and findings looked for, so often; before the days of which samples are kept by the minute, less often. */
const SWEPT = 10 * MINUTE;
const SWEPT_BEFORE = 20 * MINUTE;

/** A forecast is made, and remedies are looked for, from so long before the end on: nobody reads what was foreseen before. */
const FORESEEN = 11 * MINUTE;

/** Writes an hour in one go: until all of a history is there nobody reads it, and what each minute touches again goes to the disk once. */
async function inOne(db: Db, work: () => Promise<void>): Promise<void> {
	db.exec('BEGIN IMMEDIATE');
	try {
		await work();
		db.exec('COMMIT');
	} finally {
		if (db.inTransaction) db.exec('ROLLBACK');
	}
}

/**
 * Lives an estate's history through, as fast as it goes: lab, engine, and the acts of its people through their plans.
 * The database and the folder for packages and captures have to be empty. Returns the lab as it is at the end.
 * @param aside a twin of the lab that works out what people reach; without one the lab does, and all comes out the same
 */
export async function makeHistory(
	db: Db,
	estate: Estate,
	vault: Vault,
	folder: string,
	progress: (told: Progress) => void = () => {},
	aside?: Aside
): Promise<Lab> {
	const lab = new Lab(estate);
	const from = beginning(estate);
	settleEstate(db, estate, from, { directory: wholeDirectory(estate, lab.world), vault });
	settleOperators(db, estate, from);
	const packages = new BlobStore(join(folder, 'packages'));
	const house = new Lockstep(
		lab,
		{ db, vault, packer: makePacker(folder) },
		(manifest) => definitionOf(packages, manifest),
		aside
	);
	const { ctx, engine } = house;
	const end = estate.lab.opens;
	const closely = end - MINUTES_KEPT;
	engine.observer.keepMinutesFrom = closely;
	await engine.observe();
	await configureBroker(ctx);
	await tellSettings(ctx);
	await tellRules(ctx);
	const acts = actsOf(ctx, estate);
	let done = 0;
	while (lab.now < end) {
		const hour = (Math.floor(lab.now / (60 * MINUTE)) + 1) * 60 * MINUTE;
		const stops = [end, hour, acts[0]?.at ?? end, end - FORESEEN].filter((t) => t > lab.now);
		await inOne(db, () =>
			house.live(Math.min(...stops), MINUTE, {
				sweepEvery: lab.now < closely ? SWEPT_BEFORE : SWEPT,
				forecast: lab.now >= end - FORESEEN
			})
		);
		while (acts[0] && acts[0].at <= lab.now) {
			if (await acts.shift()!.carryOut()) done++;
			await house.work();
		}
		if (lab.now % (60 * MINUTE) === 0) progress({ share: (lab.now - from) / (end - from), at: lab.now, acts: done });
	}
	await house.observe();
	await house.leaveTwin();
	return lab;
}
