import type { Explained, Fact } from '../why/explained';
import type { SystemKind } from './inventory';

/** A system that somebody vouches for, though the package was not captured on it. */
export interface Vouched {
	system: SystemKind;
	by: string;
	/** Ms UTC. */
	at: number;
	why: string;
}

export const systemWords = (s: SystemKind): string =>
	`${[s.name, s.version].filter(Boolean).join(' ')}, ${s.users}-user`;

/** What stands in the system's name after its family: `Meridian Desktop 11` → 11. */
export function systemOf(name: string, users: 'single' | 'multi'): SystemKind {
	const match = /^(.*\S)\s+(\d\S*)$/.exec(name.trim());
	return match ? { name: match[1]!, version: match[2]!, users } : { name: name.trim(), version: '', users };
}

export const sameSystem = (a: SystemKind, b: SystemKind): boolean =>
	a.name === b.name && a.version === b.version && a.users === b.users;

/** Whether a package may be delivered to a system: the one that it was captured on, or one that somebody vouched for. */
export function fitsSystem(captured: SystemKind, vouched: readonly Vouched[], machine: SystemKind): Explained<boolean> {
	const facts: Fact[] = [{ words: `it was captured on ${systemWords(captured)}`, source: 'package' }];
	if (sameSystem(captured, machine)) {
		facts.push({ words: 'the machine is of that system', side: 'for', source: 'image' });
		return { value: true, facts };
	}
	facts.push({
		words: `there it is ${systemWords(machine)}: ${differs(captured, machine)}`,
		side: 'against',
		source: 'image'
	});
	const by = vouched.find((v) => sameSystem(v.system, machine));
	if (!by) {
		facts.push({ words: 'nobody has vouched for that', side: 'against', source: 'package' });
		return { value: false, facts };
	}
	facts.push({ words: `${by.by} vouches for it: ${by.why}`, side: 'for', at: by.at, source: 'package' });
	return { value: true, facts };
}

function differs(a: SystemKind, b: SystemKind): string {
	if (a.name !== b.name) return 'another family';
	if (a.version !== b.version) return 'another version';
	return a.users === 'single' ? 'for many users, not for one' : 'for one user, not for many';
}
