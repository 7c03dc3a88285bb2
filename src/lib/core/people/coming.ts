import type { Fact } from '../why/explained';
import type { Readiness } from './ready';

/** Somebody who begins, moves or ends on a day. */
export interface Coming {
	login: string;
	name: string;
	kind: 'begins' | 'moves' | 'ends';
	/** Ms UTC; of who ends, a moment on their last day. */
	at: number;
	team: string;
	site: string;
	/** Where they come from who move. */
	from: { team: string; site: string } | null;
}

/** What mends something that a group finds missing: a pool that grows, or devices that are kept for people, by login. */
export type GroupMend =
	| { kind: 'grow'; pool: string; name: string; machines: number }
	| { kind: 'device'; give: { endpoint: number; person: string }[] };

/** People who begin, move or end alike on the same day, with what they will find. */
export interface ComingGroup {
	key: string;
	kind: Coming['kind'];
	at: number;
	day: string;
	people: { login: string; name: string }[];
	team: string;
	site: string;
	from: string | null;
	/** Of who begins, what they find; of who moves, what they gain and lose; of who ends, what they leave. */
	will: string;
	state: Readiness;
	/** What is missing first. */
	facts: Fact[];
	mends: GroupMend[];
	/** Of who ends: whether it is agreed what becomes of all that they leave. */
	arranged: boolean;
}
