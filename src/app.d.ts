import type { Language } from '$lib/core/portal/languages';
import type { Caller } from '$lib/server/identity/caller';

declare global {
	namespace App {
		interface Locals {
			caller: Caller | null;
			theme: 'day' | 'night';
			/** What the portal is shown in; the console is in English. */
			language: Language;
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
