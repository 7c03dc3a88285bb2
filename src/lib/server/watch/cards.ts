import { durationWords } from '$lib/core/time/units';
import { PHASE_WORDS, unusualPhase } from '$lib/core/watch/phases';
import type { Card } from '$lib/core/why/card';
import type { Fact } from '$lib/core/why/explained';
import type { Context } from '../context';
import { all, one } from '../db';
import type { Then } from '../things/catalogue';
import { connectionOf, usualPhases } from './queries';

export function sessionCard({ db }: Context, text: string, { at, live }: Then): Card | null {
	const id = Number(text);
	const s = one<{
		login: string;
		person: string;
		machine: string;
		publication_id: string;
		publication: string;
		gateway_id: string;
		protocol: string;
		since: number;
		until: number;
		sign_in: number;
		ended_by: string | null;
	}>(
		db,
		`SELECT s.*, pe.login, pe.name AS person, m.name AS machine,
		 coalesce((SELECT internal_name FROM publications p WHERE p.id = s.publication_id AND p.since <= s.since ORDER BY p.since DESC LIMIT 1), s.publication_id) AS publication
		 FROM sessions s JOIN people pe ON pe.id = s.person_id JOIN machines m ON m.id = s.machine_id WHERE s.id = ?`,
		[id]
	);
	if (!s) return null;
	const connection = connectionOf(db, id);
	const usual = usualPhases(db, s.since);
	const odd = connection ? unusualPhase(connection.phases, usual) : null;
	const states = all<{ state: string; since: number; cause: string }>(
		db,
		'SELECT * FROM session_states WHERE session_id = ? AND since <= ? ORDER BY since DESC',
		[id, at]
	);
	const over = s.until <= at;
	return {
		kind: 'session',
		id: String(id),
		title: `${s.person} on ${s.machine}`,
		sub: over
			? `ended: ${s.ended_by ?? ''}`
			: `${states[0]?.state ?? 'open'} for ${durationWords(at - (states[0]?.since ?? s.since))}`,
		rows: [
			{ name: 'person', value: s.person, card: `person/${s.login}` },
			{ name: 'machine', value: s.machine, card: `machine/${s.machine}` },
			{ name: 'publication', value: s.publication, card: `publication/${s.publication_id}` },
			...(connection?.endpoint
				? [
						{
							name: 'endpoint',
							value: connection.endpointName ?? 'one that is known no longer',
							card: `endpoint/${connection.endpoint}`
						}
					]
				: []),
			{ name: 'by', value: `${s.protocol} through ${s.gateway_id}`, card: `gateway/${s.gateway_id}` },
			{ name: 'signed in', value: `${durationWords(s.sign_in)}, ${durationWords(at - s.since)} ago` }
		],
		facts: [
			...(odd ? odd.facts : [{ words: 'no phase of the sign-in was out of the ordinary', source: 'measured' }]),
			...(connection?.phases ?? [])
				.filter((p) => p.cause && p !== odd?.phase)
				.map((p): Fact => ({ words: `${PHASE_WORDS[p.name]}: ${p.cause}`, source: 'measured' })),
			...states.map((x): Fact => ({ words: `${x.state}: ${x.cause}`, at: x.since, source: 'agent' }))
		],
		actions:
			live && !over
				? [
						{
							words: 'Message',
							kind: 'session.message',
							input: { sessions: [id] },
							ask: { field: 'text', words: 'What they should read' }
						},
						{ words: 'Sign out', kind: 'session.sign-out', input: { sessions: [id] } },
						{ words: 'Restart the machine', kind: 'machine.restart', input: { machines: [s.machine] } }
					]
				: [],
		sections: connection
			? [{ kind: 'phases', phases: connection.phases, usual: usual as Record<string, number>, total: connection.took }]
			: []
	};
}
