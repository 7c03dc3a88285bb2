import type { Resource } from '$lib/core/people/scim';

/** What is done with resources of one kind. Each throws ScimProblem for what cannot be. */
export interface Resources {
	/** A page of them by their numbers, or those that a condition on one attribute finds; null: it has to be looked at each. */
	page(from: number, count: number): { total: number; found: Resource[] };
	only(path: string, value: string): Resource[] | null;
	all(): Resource[];
	one(id: string): Resource | null;
	create(body: unknown): Resource;
	replace(id: string, body: unknown): Resource;
	patch(id: string, body: unknown): Resource;
	remove(id: string): void;
}
