import * as v from 'valibot';
import { CHECKS, CHECK_WORDS } from '$lib/core/diagnosis/checks';
import { asOf } from '../db/intervals';
import { all } from '../db';
import { fact, moment, offer, text, whole } from '../lists/columns';
import type { ListKind } from '../lists/kind';
import { shortList } from '../lists/short';
import { findingsAt } from './queries';

const findings = shortList({
	name: 'findings',
	words: 'What does not agree with another thing, with its remedy; most people first',
	card: 'finding',
	row: v.strictObject({
		id: whole,
		kind: text,
		subjectKind: text,
		subject: text,
		site: v.nullable(text),
		since: moment,
		until: moment,
		title: text,
		people: whole,
		facts: v.array(fact),
		remedy: v.nullable(offer)
	}),
	rows: (db, at) => findingsAt(db, at).sort((a, b) => b.people - a.people)
});

const check = v.strictObject({
	machine: text,
	pool: text,
	site: text,
	name: v.picklist(CHECKS),
	since: moment,
	until: moment,
	saw: text
});

const checks = shortList({
	name: 'checks',
	words: 'Checks of machines that fail',
	card: null,
	row: check,
	rows: (db, at) =>
		all<v.InferOutput<typeof check>>(
			db,
			`SELECT m.name AS machine, m.pool_id AS pool, m.site_id AS site, f.name, f.since, f.until, f.saw FROM failing_checks f JOIN machines m ON m.id = f.machine_id WHERE ${asOf('failing_checks f', '?')} ORDER BY f.since`,
			[at, at]
		),
	idOf: (c) => c.machine,
	why: (_db, c) => [
		{
			words: `${CHECK_WORDS[c.name].fails}: ${c.saw}`,
			side: 'against',
			at: c.since,
			source: 'check',
			about: { kind: 'machine', id: c.machine }
		}
	]
});

export const diagnosisLists: readonly ListKind[] = [findings, checks];
