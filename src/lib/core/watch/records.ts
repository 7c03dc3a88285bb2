import type { Fact } from '../why/explained';
import type { Phase } from './phases';

/** What a machine gave at a moment. Shares 0–1, times in ms. */
export interface SamplePoint {
	at: number;
	cores: number;
	memory: number;
	diskMs: number;
	gpu: number | null;
	inputMs: number;
	rttMs: number;
	sessions: number;
	strain: number;
}

/** An attempt to open something, whatever came of it. Times in ms UTC, lengths in ms. */
export interface ConnectionRow {
	id: number;
	person: string;
	login: string;
	publication: string;
	gateway: string;
	protocol: string;
	address: string;
	/** The device that it was asked from, by its number, and what it was called; null where it is none that is known. */
	endpoint: number | null;
	endpointName: string | null;
	began: number;
	ended: number;
	result: 'open' | 'refused' | 'lost' | 'gave up';
	machine: string | null;
	/** Of the person. */
	site: string;
	team: string;
	pool: string | null;
	session: number | null;
	waited: number;
	took: number;
	phases: Phase[];
	cause: Fact[];
}
