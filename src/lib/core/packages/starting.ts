/** What a start of an app begins from. */
export const START_KINDS = ['cold', 'warm', 'attached'] as const;
/** `cold`: nothing of it has been read since it was attached. `attached`: the package had to be attached first. */
export type StartKind = (typeof START_KINDS)[number];

export const START_WORDS: Record<StartKind, string> = {
	cold: 'started for the first time on the machine',
	warm: 'read before on the machine',
	attached: 'attached for this start'
};
