import { GB } from '$lib/core/time/units';
import { strainValue } from '$lib/core/watch/strain';
import { HOST_SAMPLE_WIDTH, SAMPLE_WIDTH } from '../providers';
import { hash } from './random';
import type { SimMachine, World } from './state';

const BASE_MEMORY = 2.4 * GB;
/** Bytes a minute that a machine writes by itself, and for each session that somebody works in. */
const IDLE_WRITES = 1.5e6;
const WORK_WRITES = 5e6;
const RUNNING = new Set(['agent up', 'ready', 'in use', 'leaving']);

/**
 * One minute of work: what sessions ask for, what hosts and volumes can give, and what everybody on them feels.
 * Contention is worked out once a minute and held for the next.
 */
export function workOneMinute(
	world: World,
	seed: number
): { machines: string[]; values: Float64Array; hosts: string[]; hostValues: Float64Array } {
	const minute = Math.floor(world.now / 60_000);
	const running: SimMachine[] = [];
	const demand: number[] = [];
	const hostCores = new Map<string, number>();
	const hostGpu = new Map<string, number>();
	const hostMemory = new Map<string, number>();
	const volumeIo = new Map<string, number>();
	const memory: number[] = [];
	const gpu: number[] = [];
	const rtt: number[] = [];

	for (const volume of world.volumes.values()) volumeIo.set(volume.id, volume.booting * 1400);
	for (const m of world.machines.values()) {
		if (!RUNNING.has(m.state)) continue;
		let cores = 0.12;
		let mem = BASE_MEMORY;
		let g = 0;
		let trip = 0;
		let active = 0;
		for (const id of m.sessions) {
			const s = world.sessions.get(id)!;
			mem += s.memory;
			if (s.state !== 'active') {
				cores += 0.02;
				continue;
			}
			// People work in bursts of some minutes, around what their habit asks for.
			const burst = 0.35 + (1.3 * hash(seed, s.id, minute >> 2)) / 4294967296;
			cores += s.cores * burst;
			g += s.gpu * (0.5 + 0.5 * burst);
			trip += s.rtt;
			active++;
		}
		if (m.runaway) cores += m.cores * 0.97;
		if (m.hung) cores = m.cores;
		// Logs and updates write all day; work writes in bursts.
		m.written += Math.round(IDLE_WRITES + active * WORK_WRITES * (0.5 + hash(seed, m.life, minute >> 3) / 4294967296));
		const wanted = Math.min(cores, m.cores);
		running.push(m);
		demand.push(wanted);
		memory.push(Math.min(0.98, mem / m.memory));
		gpu.push(m.gpus ? Math.min(1, g) : -1);
		rtt.push(active ? trip / active : -1);
		hostCores.set(m.host, (hostCores.get(m.host) ?? 0) + wanted);
		hostMemory.set(m.host, (hostMemory.get(m.host) ?? 0) + m.memory);
		if (m.gpus) hostGpu.set(m.host, (hostGpu.get(m.host) ?? 0) + Math.min(1, g));
		volumeIo.set(m.volume, (volumeIo.get(m.volume) ?? 0) + 4 + active * 22);
	}

	for (const host of world.hosts.values()) {
		host.pressure = (hostCores.get(host.name) ?? 0) / host.cores;
		host.gpuPressure = host.gpus ? (hostGpu.get(host.name) ?? 0) / host.gpus : 0;
	}
	for (const volume of world.volumes.values())
		volume.busy = Math.min(0.97, (volumeIo.get(volume.id) ?? 0) / volume.iops);

	const used = usedByVolume(world);
	const values = new Float64Array(running.length * SAMPLE_WIDTH);
	running.forEach((m, i) => {
		const host = world.hosts.get(m.host)!;
		const volume = world.volumes.get(m.volume)!;
		const cpu = demand[i]! / m.cores;
		// A host asked for more than it has makes everybody on it wait for a core.
		const steal = Math.max(0, host.pressure - 0.9);
		const felt = Math.min(1, cpu * (1 + steal * 2));
		const full = Math.max(0, (used.get(volume.id) ?? 0) / volume.size - 0.9);
		const diskMs = (0.8 / (1 - volume.busy)) * (1 + full * 40);
		const trip = rtt[i]! < 0 ? 1 : rtt[i]!;
		const wait = Math.max(0, felt - 0.75) * 4;
		const inputMs = 18 + trip * 0.3 + 190 * wait * wait + 220 * steal + (m.hung ? 5000 : 0);
		const g = gpu[i]!;
		m.cpu = felt;
		m.strain = strainValue(felt, memory[i]!, diskMs, g < 0 ? null : g, inputMs, trip);
		values.set([felt, memory[i]!, diskMs, g, inputMs, trip, m.sessions.length], i * SAMPLE_WIDTH);
	});

	const hosts = [...world.hosts.values()].filter((h) => h.up);
	const hostValues = new Float64Array(hosts.length * HOST_SAMPLE_WIDTH);
	hosts.forEach((h, i) => {
		hostValues.set(
			[
				Math.min(1, h.pressure),
				Math.min(1, (hostMemory.get(h.name) ?? 0) / h.memory),
				h.gpus ? Math.min(1, h.gpuPressure) : -1
			],
			i * HOST_SAMPLE_WIDTH
		);
	});
	world.signInsThisMinute.clear();
	return { machines: running.map((m) => m.name), values, hosts: hosts.map((h) => h.name), hostValues };
}

/** Bytes that a machine takes on its volume: its overlay, and the disk for its page file where it has one. */
export const diskOf = (m: Pick<SimMachine, 'disk' | 'pageFile' | 'pageApart'>): number =>
	m.disk + (m.pageApart ? m.pageFile : 0);

/** Bytes in use on each volume: machine disks, as far as they are filled, and everything else. */
export function usedByVolume(world: World): Map<string, number> {
	const used = new Map<string, number>();
	for (const volume of world.volumes.values()) used.set(volume.id, volume.other);
	for (const m of world.machines.values()) used.set(m.volume, used.get(m.volume)! + diskOf(m));
	for (const m of world.existing.values()) if (m.volume) used.set(m.volume, used.get(m.volume)! + m.disk);
	return used;
}
