import type { Caller } from '$lib/server/identity/caller';

declare global {
	namespace App {
		interface Locals {
			caller: Caller | null;
			theme: 'day' | 'night';
			/** The number that the request has in the log. */
			number: string;
		}
		interface Error {
			message: string;
			safe?: string;
			advice?: string;
		}
	}
}

export {};
