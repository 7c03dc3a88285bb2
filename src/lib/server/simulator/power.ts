import { HOUR, SECOND } from '$lib/core/time/units';
import { schedule } from './agenda';
import { runsOf, tell } from './apps';
import { about, hashText, uniform } from './random';
import { forget } from './sessions';
import type { Stage } from './stage';
import type { SimMachine } from './state';

/** A machine waits this long for a boot server before it tries the next. */
const BOOT_PATIENCE = 15 * SECOND;

/** Starts a machine. How long it takes follows from what host and volume are busy with. */
export function powerOn(lab: Stage, machine: SimMachine, why: string): void {
	const w = lab.world;
	const host = w.hosts.get(machine.host)!;
	machine.life++;
	if (!host.up) {
		lab.setState(machine, 'failed', `host ${host.name} is down`);
		return;
	}
	const silent = machine.bootServers.filter((b) =>
		w.faults.some((f) => f.kind === 'boot-server-down' && f.target === b)
	);
	const from = machine.bootServers.find((b) => !silent.includes(b));
	if (machine.bootServers.length && from === undefined) {
		machine.agent = false;
		lab.setState(machine, 'failed', `no boot server answered: ${machine.bootServers.join(', ')}`);
		return;
	}
	const tried = machine.bootServers.slice(0, machine.bootServers.indexOf(from ?? ''));
	machine.agent = true;
	machine.hung = false;
	machine.runaway = false;
	machine.nameOk = true;
	machine.writtenBefore = machine.written;
	lab.setState(machine, 'starting', tried.length ? `${why}, from ${from}: ${tried.join(', ')} did not answer` : why);
	const volume = w.volumes.get(machine.volume)!;
	volume.booting++;
	const busy = 1 / (1 - Math.min(0.9, volume.busy + volume.booting * 0.02));
	const pressed = 1 + 2 * Math.max(0, host.pressure - 0.7);
	const base = lab.boots.get(machine.line) ?? 90 * SECOND;
	const took =
		base * busy * pressed * about(0.12, lab.seed, hashText(machine.name), machine.life) + tried.length * BOOT_PATIENCE;
	const stalls = uniform(lab.seed, hashText(machine.name), machine.life, 5) < 0.0008;
	schedule(w, w.now + Math.round(took * 0.8), {
		kind: 'boot',
		machine: machine.name,
		life: machine.life,
		stage: stalls ? 'failed' : 'agent up'
	});
	if (!stalls)
		schedule(w, w.now + Math.round(took), { kind: 'boot', machine: machine.name, life: machine.life, stage: 'ready' });
}

export function bootStage(lab: Stage, name: string, life: number, stage: 'agent up' | 'ready' | 'failed'): void {
	const w = lab.world;
	const machine = w.machines.get(name);
	if (!machine || machine.life !== life) return;
	if (machine.state === 'starting') {
		const volume = w.volumes.get(machine.volume)!;
		volume.booting = Math.max(0, volume.booting - 1);
	}
	if (stage === 'failed') {
		machine.agent = false;
		lab.setState(machine, 'failed', 'its agent did not come up after the start');
		schedule(w, w.now + Math.round((2 + 5 * uniform(lab.seed, hashText(name), life, 6)) * HOUR), {
			kind: 'watchdog',
			machine: name,
			life
		});
		return;
	}
	if (stage === 'agent up') {
		lab.setState(machine, 'agent up', 'its agent answers');
		tell(lab, { kind: 'up', machine: machine.name, pool: machine.pool });
	} else {
		lab.setState(
			machine,
			'ready',
			machine.state === 'leaving' ? 'clean after the sign-out' : 'all its services are up'
		);
		lab.does.serveWaiting();
	}
}

/** Power goes: every session on it ends at once. */
export function powerOff(lab: Stage, machine: SimMachine, state: 'off' | 'failed', why: string): void {
	const w = lab.world;
	if (machine.state === 'starting') {
		const volume = w.volumes.get(machine.volume)!;
		volume.booting = Math.max(0, volume.booting - 1);
	}
	machine.life++;
	for (const id of machine.sessions) {
		for (const run of runsOf(w, id)) w.packages.runs.delete(run.id);
		forget(lab, w.sessions.get(id)!);
		lab.observe({ kind: 'session', session: id, state: 'ended', cause: `${machine.name}: ${why}` });
	}
	machine.sessions = [];
	machine.cpu = 0;
	machine.strain = 0;
	w.packages.warm.delete(machine.name);
	tell(lab, { kind: 'down', machine: machine.name });
	lab.setState(machine, state, why);
}

/** The host’s watchdog restarts a machine whose agent did not come up. */
export function watchdog(lab: Stage, h: { machine: string; life: number }): void {
	const m = lab.world.machines.get(h.machine);
	if (m && m.life === h.life && m.state === 'failed') powerOn(lab, m, 'restarted by the host’s watchdog');
}
