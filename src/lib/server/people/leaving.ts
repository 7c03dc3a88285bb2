import { countWords } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { all, one, type Db } from '../db';
import { asOf } from '../db/intervals';
import { publicationsAt } from '../publications';

/** What somebody would leave without an owner, and what follows of itself. */
export function leavesOf(db: Db, login: string, at: number): { facts: Fact[]; words: string[] } {
	const facts: Fact[] = [];
	const words: string[] = [];
	const against = (text: string, about?: Fact['about']) =>
		facts.push({ words: text, side: 'against', source: 'people', ...(about ? { about } : {}) });
	for (const p of publicationsAt(db, at).filter((x) => x.owner === login)) {
		against(`requests for ${p.internalName} go to them`, { kind: 'publication', id: p.id, name: p.internalName });
		words.push(p.internalName);
	}
	const machines = all<{ name: string }>(
		db,
		`SELECT m.name FROM machine_spots pl JOIN machines m ON m.id = pl.machine_id AND ${asOf('machines m')} JOIN people p ON p.id = pl.owner_id
		 WHERE p.login = @login AND ${asOf('machine_spots pl')} ORDER BY m.name`,
		{ login, at }
	);
	for (const m of machines) against(`${m.name} is theirs`, { kind: 'machine', id: m.name, name: m.name });
	if (machines.length) words.push(machines.length === 1 ? 'a machine' : countWords(machines.length, 'machine'));
	const reports = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM person_facts f JOIN people m ON m.id = f.manager_id WHERE m.login = @login AND ${asOf('person_facts f')} AND f.ends > @at`,
		{ login, at }
	)!.n;
	if (reports) {
		against(`${countWords(reports, 'person reports', 'people report')} to them`);
		words.push(countWords(reports, 'report'));
	}
	const waiting = one<{ n: number }>(
		db,
		`SELECT count(*) AS n FROM requests r JOIN people p ON p.id = r.person_id WHERE p.login = ? AND r.at <= ? AND r.answer IS NULL`,
		[login, at]
	)!.n;
	if (waiting) {
		facts.push({
			words: `${waiting} of their requests ${waiting === 1 ? 'waits' : 'wait'} for an answer`,
			source: 'shelf'
		});
		words.push(countWords(waiting, 'request'));
	}
	if (facts.length === 0)
		facts.push({ words: 'nothing is theirs that anybody else needs', side: 'for', source: 'people' });
	return { facts, words };
}
