/** What an app reads at its start. */
export interface StartReads {
	files: number;
	/** Bytes. */
	bytes: number;
	/** Whether the machine reads them ahead, while the package is attached: the package has a warm-up list. */
	ahead: boolean;
}

/** Ms that an app takes for itself, with everything at hand. */
const OWN = 900;
/** Ms for finding a file in a package that nothing has been read of, and bytes a second from there: many small reads. */
const FIND = 9;
const READ = 24e6;

/**
 * Ms from the start of an app to its window, as machines of the lab behave: what has been read before, or ahead by the warm-up
 * list, is at hand. `reads` null: nothing is known of it.
 */
export function startTime(reads: StartReads | null, warm: boolean): number {
	if (reads === null) return warm ? OWN : OWN * 4;
	if (warm) return OWN;
	const cold = reads.files * FIND + (reads.bytes / READ) * 1000;
	return OWN + (reads.ahead ? cold * 0.08 : cold);
}
