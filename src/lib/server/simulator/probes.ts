import { CHECKS, type CheckResult } from '$lib/core/diagnosis/checks';
import { addressText } from '$lib/core/network/addresses';
import type { Stage } from './stage';

/** What the checks along the way to a machine see right now. */
export function probe(lab: Stage, name: string): CheckResult[] {
	const w = lab.world;
	const m = w.machines.get(name);
	if (!m) return [{ name: 'powered', ok: false, saw: 'the compute provider does not know it' }];
	const results: CheckResult[] = [];
	let blocked = false;
	const check = (check: (typeof CHECKS)[number], ok: boolean, yes: string, no: string) => {
		results.push(
			blocked
				? { name: check, ok: null, saw: 'not asked: an earlier check fails' }
				: { name: check, ok, saw: ok ? yes : no }
		);
		if (!ok) blocked = true;
	};
	const host = w.hosts.get(m.host)!;
	check(
		'powered',
		host.up && m.state !== 'off',
		`on, on host ${m.host}`,
		host.up ? 'off' : `off: host ${m.host} is down`
	);
	check(
		'agent',
		m.agent && !m.hung,
		'answered',
		m.hung ? 'no answer within 30 s; the machine hangs' : 'no answer within 10 s; the service has stopped'
	);
	check('address', m.address !== null, m.address === null ? '' : addressText(m.address), 'none was leased to it');
	check(
		'name',
		m.nameOk,
		`${m.name} resolves to ${addressText(m.address ?? 0)}`,
		`${m.name} resolves to another address`
	);
	check(
		'trust',
		m.trusted,
		`account ${m.name} in ${w.accounts.get(m.name) ?? 'no folder'} is accepted`,
		`the secret of account ${m.name} is not accepted`
	);
	check('protocol', m.agent, 'listens', 'nothing listens');
	const gateway = lab.gatewayOf.get(m.site);
	const wrong =
		gateway === undefined ? [] : [...w.gateways.get(gateway)!.protocols].filter(([, p]) => p.announced !== p.listens);
	check(
		'gateway',
		wrong.length === 0,
		`${gateway} passes all protocols`,
		wrong.map(([p, port]) => `${gateway} announces ${port.announced} for ${p}, listens on ${port.listens}`).join('; ')
	);
	return results;
}
