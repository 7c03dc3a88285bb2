import type { ContentsChange } from '$lib/core/images/versions';
import type { Phase } from '$lib/core/watch/phases';
import type { Fact } from '$lib/core/why/explained';

/** A card as a page is given it: what is known of one thing at a moment. */
export interface CardView {
	kind: string;
	id: string;
	title: string;
	sub: string;
	rows: { name: string; value: string; card?: string; scope?: string }[];
	facts: Fact[];
	actions: { words: string; kind: string; input: unknown; ask?: { field: string; words: string }; main?: boolean }[];
	phases?: { phases: Phase[]; usual: Record<string, number>; total: number };
	samples?: {
		step: number;
		points: { at: number; cores: number; memory: number; gpu: number | null; strain: number }[];
	};
	checks?: { asks: string; ok: boolean | null; saw: string; since: number | null }[];
	connections?: {
		id: number;
		began: number;
		publication: string;
		machine: string | null;
		result: string;
		took: number;
		cause: Fact[];
	}[];
	contents?: { name: string; version: string; size: number }[];
	compared?: { with: string; changes: ContentsChange[]; send?: string };
	takes?: {
		title: string;
		sub: string;
		groups: { machines: number; words: string; pill: string; tone: string; will: boolean; first: string[] }[];
	};
	links?: { words: string; href: string }[];
	packages?: { words: string; card?: string; note?: string }[];
	list?: { title: string; rows: { words: string; card?: string; note?: string }[] };
}
