import { test } from 'vitest';
import { openDb, all } from '$lib/server/db';
import { loadEstate, makeHistory } from '$lib/server/history';
import { rmSync } from 'node:fs';
test('hist', async () => {
	const r = loadEstate('demo/kittiwake/estate.yaml');
	if ('problems' in r) { console.log(r.problems.slice(0, 20)); throw new Error('problems'); }
	rmSync('/tmp/w/h.db', { force: true });rmSync('/tmp/w/h.db-wal', { force: true });
	const db = openDb('/tmp/w/h.db'); db.pragma('synchronous = OFF');
	const t0 = Date.now();
	r.estate.lab.history_days = Number(process.env.DAYS ?? 14);
	const lab = await makeHistory(db, r.estate);
	console.log('took', Date.now() - t0);
	console.log(all(db, "select result, count(*) n, avg(took) t, max(waited) w from connections group by 1"));
	console.log(all(db, "select state, count(*) n from machine_states where until=9007199254740991 group by 1"));
	console.log(all(db, "select kind, subject_id, title, people, until=9007199254740991 as open from findings order by id desc limit 20"));
	console.log(all(db, "select name, saw, count(*) n from failing_checks where until=9007199254740991 group by 1,2"));
	console.log(all(db, "select m.pool_id, count(*) n, (select count(*) from machines x join machine_states st on st.machine_id=x.id and st.until=9007199254740991 where x.pool_id=m.pool_id and st.state<>'off') up from sessions s join machines m on m.id=s.machine_id where s.until=9007199254740991 group by 1"));
	console.log(all(db, "select count(*) n from samples_1m"), all(db, "select count(*) n, avg(strain), max(strain) from samples_15m"), all(db, "select count(*) from power_actions"));
}, 600000);
