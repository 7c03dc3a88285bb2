import { stringify } from 'yaml';
import { generateEstate } from '$lib/core/estate/generate';
import { readEstate } from '$lib/core/estate/read';
import { beginning } from '$lib/core/estate/schema';
import { DAY } from '$lib/core/time/units';
import { openDb, type Db } from '$lib/server/db';
import { Observer } from '$lib/server/engine/observer';
import { settleEstate } from '$lib/server/settle';
import { wholeDirectory } from '$lib/server/simulator/directory';
import { Lab } from '$lib/server/simulator/lab';
import { vaultOf } from '$lib/server/vault';

/** An estate of a size as it is settled: nobody has done anything yet. */
export function settled(people: number, machines: number, path = ':memory:'): { db: Db; now: number } {
	const read = readEstate(stringify(generateEstate(people, machines, 5)), 'bench', () => null);
	if ('problems' in read) throw new Error(read.problems[0]!.message);
	const { estate } = read;
	const lab = new Lab(estate);
	const db = openDb(path);
	settleEstate(db, estate, beginning(estate), {
		directory: wholeDirectory(estate, lab.world),
		vault: vaultOf(Buffer.alloc(32))
	});
	// Its machines, as they are told of.
	new Observer(db).take(lab.world.observations);
	return { db, now: beginning(estate) + DAY };
}
