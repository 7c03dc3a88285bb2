import { addressText, fromOutside } from '$lib/core/network/addresses';
import type { Estate } from '$lib/core/estate/schema';
import { GB } from '$lib/core/time/units';
import type { AppliedPart } from '$lib/core/settings/effective';
import type { Phase, PhaseName, PhasePart } from '$lib/core/watch/phases';
import type { Fact } from '$lib/core/why/explained';
import { about } from './random';
import { roundTrip } from './round-trip';
import type { SimConnection, SimMachine, World } from './state';

/** What a phase takes, or how it fails. */
export type Cost =
	{ ms: number; cause?: string; parts?: Phase['parts'] } | { fails: Fact[]; ms: number; advice: string };

/** What the settings of a session take in a phase on an idle machine; `trip`: a round trip to the file servers, ms. */
export type Applied = (phase: 'policies' | 'drives', trip: number) => readonly AppliedPart[];

/**
 * What one phase of a sign-in takes now, from what it depends on: distance, load of machine, host, volume and
 * directory, size of the profile, the settings that count, the version's own slowness, and faults. Each has a small scatter of its own.
 */
export function phaseCost(
	estate: Estate,
	world: World,
	seed: number,
	conn: SimConnection,
	phase: PhaseName,
	applied: Applied
): Cost {
	const person = world.people.get(conn.person)!;
	const gateway = world.gateways.get(conn.gateway)!;
	const machine = conn.machine ? world.machines.get(conn.machine) : undefined;
	const scatter = (spread: number) => about(spread, seed, conn.id, phase.length, phase.charCodeAt(0));
	const toMachine = machine ? roundTrip(estate, person.site, machine.site) : 3;

	switch (phase) {
		case 'gateway': {
			const port = gateway.protocols.get(conn.protocol);
			if (port && port.announced !== port.listens) {
				return {
					ms: 21_000,
					fails: [
						{
							words: `${conn.gateway} announces port ${port.announced} for ${conn.protocol}`,
							side: 'against',
							source: 'gateway',
							about: { kind: 'gateway', id: conn.gateway }
						},
						{
							words: `nothing listens there; its ${conn.protocol} listener is on ${port.listens}`,
							side: 'against',
							source: 'gateway'
						}
					],
					advice: 'The way in is being repaired. Try again in a few minutes.'
				};
			}
			return { ms: (90 + roundTrip(estate, person.site, gateway.site) * 4) * scatter(0.2) };
		}
		case 'brokering':
			return { ms: (60 + roundTrip(estate, gateway.site, estate.home ?? gateway.site) * 2) * scatter(0.15) };
		case 'waiting':
		case 'app':
			return { ms: 0 };
		case 'protocol': {
			if (machine!.hung) return fails(45_000, `${machine!.name} does not answer: it hangs`, machine!);
			if (!machine!.agent) return fails(30_000, `the agent on ${machine!.name} does not answer`, machine!);
			if (!machine!.nameOk) return fails(12_000, `the name ${machine!.name} resolves to another address`, machine!);
			const { relay } = gateway;
			if (relay && relay.announced !== relay.stands && conn.protocol === 'stream' && fromOutside(person.address)) {
				const fact = { side: 'against', source: 'gateway' } as const;
				return {
					ms: 15_000,
					fails: [
						{
							...fact,
							words: `${conn.gateway} hands out the relay ${addressText(relay.announced)}, and nothing answers there`,
							about: { kind: 'gateway', id: conn.gateway }
						},
						{ ...fact, words: `its relay stands at ${addressText(relay.stands)}` },
						{
							...fact,
							words: `whoever comes from outside the offices, as from ${person.address}, needs it for the picture`
						}
					],
					advice: 'The way for the picture from outside is being repaired. From an office it works.'
				};
			}
			return { ms: (350 + toMachine * 7) * scatter(0.2) };
		}
		case 'directory': {
			if (!machine!.trusted) return fails(9_000, `the directory does not trust ${machine!.name}`, machine!);
			const slow = world.directorySlow.get(machine!.site) ?? 1;
			const crowd = world.signInsThisMinute.get(machine!.site) ?? 0;
			return {
				ms: 1100 * slow * (1 + crowd / 40) * scatter(0.2),
				cause:
					slow > 1
						? `the directory at ${machine!.site} answers ${Math.round(slow)} times slower than usual`
						: crowd > 20
							? `${crowd} people signed in within the same minute`
							: undefined
			};
		}
		case 'profile': {
			const volume = world.volumes.get(machine!.volume)!;
			const size = person.profile / GB;
			const busy = 1 / (1 - volume.busy);
			return {
				...withSlowness(estate, machine!, 'profile', (700 + size * 420) * busy * scatter(0.15)),
				cause:
					busy > 1.5
						? `volume ${volume.id} is ${Math.round(volume.busy * 100)} % busy`
						: size > 8
							? `the profile disk holds ${size.toFixed(1)} GB`
							: undefined
			};
		}
		case 'policies': {
			const pressed = contention(world, machine!);
			const toFiles = roundTrip(estate, machine!.site, estate.home ?? machine!.site);
			const parts: PhasePart[] = applied('policies', toFiles).map((p, i) =>
				taken(p, pressed * about(0.15, seed, conn.id, i))
			);
			addSlowness(estate, machine!, 'policies', parts);
			return { ms: total(parts), parts, cause: pressedWords(pressed, machine!) };
		}
		case 'drives': {
			const toFiles = roundTrip(estate, machine!.site, estate.home ?? machine!.site);
			const parts: PhasePart[] = applied('drives', toFiles).map((p, i) => taken(p, about(0.2, seed, conn.id, 71 + i)));
			addSlowness(estate, machine!, 'drives', parts);
			return {
				ms: total(parts),
				parts,
				cause: toFiles > 200 ? `the file servers are ${Math.round(toFiles)} ms away` : undefined
			};
		}
		case 'shell': {
			const pressed = contention(world, machine!);
			const volume = world.volumes.get(machine!.volume)!;
			return {
				...withSlowness(estate, machine!, 'shell', 4200 * pressed * (0.8 + 0.2 / (1 - volume.busy)) * scatter(0.15)),
				cause: pressedWords(pressed, machine!)
			};
		}
	}
}

/** What a group takes when it takes so many times as long as it would on an idle machine. */
const taken = (p: AppliedPart, times: number): PhasePart => ({
	name: p.name,
	ms: Math.round(p.ms * times),
	...(p.group === null ? {} : { group: p.group }),
	parts: p.parts.map((x) => ({ name: x.name, ms: Math.round(x.ms * times) }))
});

const fails = (ms: number, words: string, machine: SimMachine): Cost => ({
	ms,
	fails: [{ words, side: 'against', source: 'gateway', about: { kind: 'machine', id: machine.name } }],
	advice: 'Try again: you will be given another machine.'
});

/** How much longer work takes on a machine that is short of cores, itself or through its host. */
function contention(world: World, machine: SimMachine): number {
	const host = world.hosts.get(machine.host)!;
	return 1 + 2.2 * Math.max(0, machine.cpu - 0.6) + 3 * Math.max(0, host.pressure - 0.9);
}

const pressedWords = (pressed: number, machine: SimMachine) =>
	pressed > 1.4 ? `${machine.name} had ${Math.round(machine.cpu * 100)} % of its cores in use` : undefined;

function slowOf(estate: Estate, machine: SimMachine) {
	return estate.image_lines.find((l) => l.id === machine.line)?.versions.find((v) => v.number === machine.version)
		?.slow;
}

/** A phase without parts of its own: what the version adds to it is one. */
function withSlowness(
	estate: Estate,
	machine: SimMachine,
	phase: string,
	ms: number
): { ms: number; parts?: { name: string; ms: number }[] } {
	const slow = slowOf(estate, machine);
	return slow?.phase === phase
		? {
				ms: ms + slow.by,
				parts: [
					{ name: 'all else', ms: Math.round(ms) },
					{ name: slow.part, ms: slow.by }
				]
			}
		: { ms };
}

function addSlowness(estate: Estate, machine: SimMachine, phase: string, parts: { name: string; ms: number }[]): void {
	const slow = slowOf(estate, machine);
	if (slow?.phase === phase) parts.push({ name: slow.part, ms: slow.by });
}

const total = (parts: { ms: number }[]) => parts.reduce((n, p) => n + p.ms, 0);
