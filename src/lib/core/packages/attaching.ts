import { looseOrder } from '../images/sheet';
import { sizeWords } from '../time/units';
import type { Explained, Fact } from '../why/explained';
import { fitsSystem, type Vouched } from './fits';
import type { SystemKind } from './inventory';

/** Why a package cannot be attached to a machine. */
export const ATTACH_CAUSES = ['system', 'agent', 'clash', 'disk', 'store'] as const;
export type AttachCause = (typeof ATTACH_CAUSES)[number];

export const ATTACH_CAUSE_WORDS: Record<AttachCause, string> = {
	system: 'another system',
	agent: 'its agent is silent or too old',
	clash: 'it clashes with what is there',
	disk: 'no room on the disk',
	store: 'the package store is out of reach'
};

/** What a version asks of a machine. */
export interface PackageNeeds {
	package: string;
	version: string;
	/** What people call it. */
	title: string;
	/** The digest of its manifest: the same content is fetched once. */
	manifest: string;
	system: SystemKind;
	vouched: Vouched[];
	/** Bytes that are fetched, and that it takes on the machine. */
	size: number;
	unpacked: number;
	/** Oldest agent that can attach it, or empty. */
	agent: string;
	services: string[];
	ports: string[];
	/** Of two that clash the lower one wins. */
	order: number;
}

/** A machine as its agent sees it. */
export interface AttachingMachine {
	system: SystemKind;
	/** Version of its agent, or null where it does not answer. */
	agent: string | null;
	/** Bytes. */
	diskFree: number;
	/** Null when it has the content already, or can fetch it; else what stands in the way. */
	storeTrouble: string | null;
	/** Packages that are there, each with what it lays claim to, and how many have it open. */
	others: readonly (Pick<PackageNeeds, 'package'> & Claims & { open: number })[];
}

/** What a package wants for itself alone, and its part in the order. */
export type Claims = Pick<PackageNeeds, 'services' | 'ports' | 'order'>;

/** What two packages both want, in words; null where they get along. */
export function contested(a: Claims, b: Claims): string | null {
	const service = a.services.find((s) => b.services.includes(s));
	if (service !== undefined) return `the service ${service}`;
	const port = a.ports.find((x) => b.ports.includes(x));
	return port !== undefined ? `port ${port}` : null;
}

/**
 * Whether a version can be attached to a machine, or which cause stands in the way. Files and settings that clash are
 * settled by the order of the packages; a service or a port can be had by one only, and the later in the order does not get it,
 * or gives it up once nobody has it open.
 */
export function mayAttach(needs: PackageNeeds, m: AttachingMachine): Explained<AttachCause | null> {
	const fits = fitsSystem(needs.system, needs.vouched, m.system);
	const facts: Fact[] = [...fits.facts];
	const fails = (cause: AttachCause, words: string, source: string): Explained<AttachCause> => ({
		value: cause,
		facts: [...facts, { words, side: 'against', source }]
	});
	if (!fits.value) return { value: 'system', facts };
	if (m.agent === null) return fails('agent', 'its agent does not answer', 'check');
	if (needs.agent && looseOrder(m.agent, needs.agent) < 0)
		return fails('agent', `its agent is ${m.agent}; the package asks for ${needs.agent} or newer`, 'agent');
	for (const o of m.others) {
		if (o.package === needs.package) continue;
		const what = contested(needs, o);
		if (what === null) continue;
		if (o.order <= needs.order)
			return fails('clash', `${o.package}, which comes first in the order, has ${what}`, 'clashes');
		if (o.open > 0)
			return fails('clash', `${o.package} has ${what} until the last of those who have it open closes it`, 'clashes');
	}
	if (m.diskFree < needs.unpacked)
		return fails(
			'disk',
			`it takes ${sizeWords(needs.unpacked)}, and ${sizeWords(Math.max(0, m.diskFree))} of the disk is free`,
			'agent'
		);
	if (m.storeTrouble !== null) return fails('store', m.storeTrouble, 'agent');
	facts.push({ words: `it takes ${sizeWords(needs.unpacked)}, which the disk has`, side: 'for', source: 'agent' });
	return { value: null, facts };
}

/** What somebody is told who is of none of the teams that may start an app: the words of its package, where it has any. */
export const refusalFor = (app: string, words: string): string =>
	words || `${app} is not for your team. Ask the helpdesk.`;

/** What somebody is told whose app cannot be started: no code, and what they can do. */
export function sentenceFor(app: string, cause: AttachCause | null): string {
	const retry = 'The helpdesk has been told.';
	switch (cause) {
		case 'disk':
			return `${app} does not fit on this machine just now. Sign out and open it again: you will be given another machine. ${retry}`;
		case 'store':
			return `${app} cannot be fetched to where you are just now. It is tried again by itself; try again in some minutes. ${retry}`;
		case 'system':
		case 'agent':
		case 'clash':
			return `${app} cannot run on this machine. ${retry}`;
		case null:
			return `${app} is not on this machine any more. Open it from your shelf.`;
	}
}
