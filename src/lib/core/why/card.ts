import type { ContentsChange } from '../images/versions';
import type { Phase } from '../watch/phases';
import type { ConnectionRow, SamplePoint } from '../watch/records';
import type { Fact } from './explained';

/** An action that a card offers: the plan it drafts. */
export interface CardAction {
	words: string;
	kind: string;
	input: unknown;
	/** Asks for a text first, which goes into the input under this name. */
	ask?: { field: string; words: string };
	main?: boolean;
}

/** One of several things that belong to what a card is about. */
export interface CardLine {
	words: string;
	card?: string;
	/** Where it leads to, where that is no card. */
	href?: string;
	note?: string;
}

/** A part of a card beside what every card says. */
export type CardSection =
	/** Who takes a version, in groups of the same reason. */
	| {
			kind: 'takes';
			title: string;
			sub: string;
			groups: { machines: number; words: string; pill: string; tone: string; will: boolean; first: string[] }[];
	  }
	/** The phases of a sign-in against the usual ones, in ms. */
	| { kind: 'phases'; phases: Phase[]; usual: Record<string, number>; total: number }
	| {
			kind: 'checks';
			title: string;
			sub: string;
			/** `ok` null: not asked. */
			checks: { asks: string; ok: boolean | null; saw: string; since: number | null }[];
	  }
	/** `step`, `from` and `to` in ms. */
	| { kind: 'samples'; step: number; from: number; to: number; points: SamplePoint[] }
	| { kind: 'lines'; title: string; lines: CardLine[] }
	/** A picture that is fetched again and again, while it may be. */
	| { kind: 'screen'; title: string; sub: string; href: string; alt: string }
	| { kind: 'connections'; connections: ConnectionRow[] }
	| { kind: 'compared'; with: string; changes: ContentsChange[]; send?: string }
	| { kind: 'contents'; contents: { name: string; version: string; size: number }[] };

/** All that is known of one thing at a moment, with the reasons: what every card says, and sections of its own. */
export interface Card {
	kind: string;
	id: string;
	title: string;
	/** One clause under the title. */
	sub: string;
	rows: { name: string; value: string; card?: string; scope?: string }[];
	links?: { words: string; href: string }[];
	/** What stands before the reasons: what somebody should read first. */
	lead?: CardSection[];
	facts: Fact[];
	actions: CardAction[];
	sections: CardSection[];
}

/** The section of a type that a card has, or undefined. */
export const sectionOf = <T extends CardSection['kind']>(
	card: Card,
	type: T
): Extract<CardSection, { kind: T }> | undefined =>
	[...(card.lead ?? []), ...card.sections].find((s): s is Extract<CardSection, { kind: T }> => s.kind === type);

/** Sections that show nothing are none: nothing stands under their title. */
export function isBare(s: CardSection): boolean {
	switch (s.kind) {
		case 'lines':
			return s.lines.length === 0;
		case 'checks':
			return s.checks.length === 0;
		case 'samples':
			return s.points.length < 2;
		default:
			return false;
	}
}
