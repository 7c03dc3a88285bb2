import * as v from 'valibot';
import { isAddress } from '$lib/core/network/addresses';
import { CHECK_WORDS, CHECKS, runbookFor, type Remedy } from '$lib/core/diagnosis/checks';
import { noEffects } from '$lib/core/plans/effects';
import { countWords, durationWords, FOREVER, MINUTE, SECOND } from '$lib/core/time/units';
import type { Fact } from '$lib/core/why/explained';
import { one } from '../db';
import { InputProblem, planKind, type Draft } from '../plans/kind';
import { peopleLostOutside, peopleLostThrough, peopleThrough } from './affected';
import { machineByName, sessionsOn } from '../watch';

const USUAL: Record<Remedy, number> = {
	'restart service': 30 * SECOND,
	'restart machine': 3 * MINUTE,
	'reset to image': 5 * MINUTE
};

const runbook = planKind({
	kind: 'runbook.run',
	words: 'Try the remedies for a machine’s failing check, mildest first, until one works',
	area: 'repair',
	undo: 'never',
	schema: v.strictObject({ machine: v.string(), check: v.picklist(CHECKS, 'Choose a check.') }),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const machine = machineByName(ctx.db, input.machine, now);
		if (!machine || machine.until !== FOREVER)
			throw new InputProblem([{ field: 'machine', words: `There is no machine ${input.machine}.` }]);
		const { remedies, facts } = runbookFor(input.check);
		const failing = one<{ since: number; saw: string }>(
			ctx.db,
			`SELECT since, saw FROM failing_checks WHERE machine_id = ? AND name = ? AND until = ${FOREVER}`,
			[machine.id, input.check]
		);
		const sessions = sessionsOn(ctx.db, [machine.id]);
		const total = remedies.reduce((n, r) => n + USUAL[r], 0);
		return {
			title: `Repair ${input.machine}: ${CHECK_WORDS[input.check].fails}`,
			effects: {
				...noEffects(),
				people: sessions.map((s) => ({
					kind: 'person',
					id: s.login,
					name: s.person,
					how: 'signed out, if the machine has to be restarted'
				})),
				sessionsEnded: sessions.map((s) => ({ kind: 'session', id: String(s.id), name: s.person })),
				machines: [{ kind: 'machine', id: input.machine, name: input.machine, how: 'repaired' }],
				duration: { middle: remedies.length ? USUAL[remedies[0]!] : 0, ninety: total }
			},
			warnings: sessions.length
				? [
						{
							words: `${countWords(sessions.length, 'session')} on it end if restarting the service does not help`,
							side: 'against'
						}
					]
				: [],
			blocks: [
				...(remedies.length === 0 ? facts : []),
				...(failing ? [] : [{ words: `the check passes: there is nothing to repair`, side: 'against' as const }])
			],
			reasons: [
				...(failing
					? [
							{
								words: `${CHECK_WORDS[input.check].asks} No: ${failing.saw}, for ${durationWords(now - failing.since)}`,
								at: failing.since,
								source: 'check',
								about: { kind: 'machine', id: input.machine }
							}
						]
					: []),
				...facts
			],
			objects: [`machine/${input.machine}`],
			steps: remedies.map((r) => ({
				kind: 'runbook.remedy',
				words: `${r[0]!.toUpperCase()}${r.slice(1)}, then check again`,
				input: { machine: input.machine, check: input.check, remedy: r },
				expected: USUAL[r]
			})),
			undo: null,
			undoWords: 'No: a restart cannot be taken back.'
		};
	}
});

const setPort = planKind({
	kind: 'gateway.set-port',
	words: 'Set the port that a gateway announces for a protocol',
	area: 'network',
	undo: 'back',
	schema: v.strictObject({
		gateway: v.string(),
		protocol: v.string(),
		port: v.pipe(
			v.number('Write a port.'),
			v.integer('A port is a whole number.'),
			v.minValue(1, 'A port is at least 1.'),
			v.maxValue(65535, 'A port is at most 65535.')
		)
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const port = one<{ announced: number; listens: number; since: number }>(
			ctx.db,
			`SELECT * FROM gateway_ports WHERE gateway_id = ? AND protocol = ? AND until = ${FOREVER}`,
			[input.gateway, input.protocol]
		);
		if (!port)
			throw new InputProblem([
				{ field: 'gateway', words: `There is no gateway ${input.gateway} with ${input.protocol}.` }
			]);
		const right = input.port === port.listens;
		const hurt = right ? [] : peopleThrough(ctx.db, input.gateway, input.protocol, now, false);
		const helped = right ? peopleLostThrough(ctx.db, input.gateway, input.protocol, port.since, now) : [];
		const reasons: Fact[] = [
			{
				words: `${input.gateway} announces port ${port.announced} for ${input.protocol}`,
				at: port.since,
				source: 'gateway',
				about: { kind: 'gateway', id: input.gateway }
			},
			{ words: `it listens on ${port.listens}`, source: 'gateway' },
			{ words: 'sessions that are open keep their connection', source: 'gateway' }
		];
		return {
			title: `Let ${input.gateway} announce port ${input.port} for ${input.protocol}`,
			effects: {
				...noEffects(),
				people: [
					...helped.map((p) => ({ kind: 'person', id: p.login, name: p.name, how: 'can connect again', helped: true })),
					...hurt.map((p) => ({ kind: 'person', id: p.login, name: p.name, how: 'could no longer connect' }))
				],
				duration: { middle: 5 * SECOND, ninety: 9 * SECOND }
			},
			warnings: right
				? []
				: [
						{
							words: `nothing listens on ${input.port}: nobody would get through by ${input.protocol}`,
							side: 'against'
						}
					],
			blocks: port.announced === input.port ? [{ words: `it announces ${input.port} already`, side: 'against' }] : [],
			reasons,
			objects: [`gateway/${input.gateway}`],
			steps: [{ kind: 'gateway.set-port', words: `Announce port ${input.port}`, input, expected: 4000 }],
			undo: { kind: 'gateway.set-port', input: { ...input, port: port.announced } },
			undoWords: `Yes: it announces ${port.announced} again.`
		};
	}
});

const setRelay = planKind({
	kind: 'gateway.set-relay',
	words: 'Let a gateway hand out another relay to people outside the offices',
	area: 'network',
	undo: 'back',
	schema: v.strictObject({
		gateway: v.pipe(v.string(), v.nonEmpty('Choose a gateway.')),
		address: v.pipe(v.string(), v.trim(), v.check(isAddress, 'Write an address such as 203.0.113.20.'))
	}),
	async draft(ctx, input): Promise<Draft> {
		const now = ctx.clock.now();
		const relay = one<{ announced: string; stands: string; since: number }>(
			ctx.db,
			`SELECT * FROM gateway_relays WHERE gateway_id = ? AND until = ${FOREVER}`,
			[input.gateway]
		);
		if (!relay)
			throw new InputProblem([{ field: 'gateway', words: `There is no gateway ${input.gateway} with a relay.` }]);
		const right = input.address === relay.stands;
		const helped = right ? peopleLostOutside(ctx.db, input.gateway, relay.since, now) : [];
		const hurt = right ? [] : peopleThrough(ctx.db, input.gateway, 'stream', now, true);
		return {
			title: `Let ${input.gateway} hand out the relay ${input.address}`,
			effects: {
				...noEffects(),
				people: [
					...helped.map((p) => ({ kind: 'person', id: p.login, name: p.name, how: 'can connect again', helped: true })),
					...hurt.map((p) => ({
						kind: 'person',
						id: p.login,
						name: p.name,
						how: 'could no longer connect from outside'
					}))
				],
				duration: { middle: 5 * SECOND, ninety: 9 * SECOND }
			},
			warnings: right
				? []
				: [
						{
							words: `nothing answers at ${input.address}: nobody outside the offices would get a picture`,
							side: 'against'
						}
					],
			blocks:
				relay.announced === input.address ? [{ words: `it hands out ${input.address} already`, side: 'against' }] : [],
			reasons: [
				{
					words: `${input.gateway} hands out the relay ${relay.announced}`,
					at: relay.since,
					source: 'gateway',
					about: { kind: 'gateway', id: input.gateway }
				},
				{ words: `its relay stands at ${relay.stands}`, source: 'gateway' },
				{ words: 'sessions that are open keep their picture', source: 'gateway' }
			],
			objects: [`gateway/${input.gateway}`],
			steps: [{ kind: 'gateway.set-relay', words: `Hand out ${input.address}`, input, expected: 4000 }],
			undo: { kind: 'gateway.set-relay', input: { ...input, address: relay.announced } },
			undoWords: `Yes: it hands out ${relay.announced} again.`
		};
	}
});

export const repairPlans = [runbook, setPort, setRelay];
