import pino from 'pino';

/**
 * What whoever runs the server should know of: one line of JSON each, with its time, level, part and words. `SEXTANT_LOG` sets from which
 * level on (`info` where nothing is said; `silent` for none).
 * @param fd where it is written; what takes nothing (its disk is full, nobody reads it) loses the line, and ends nothing
 */
export function openLog(fd: number, level = process.env.SEXTANT_LOG ?? 'info'): pino.Logger {
	const to = pino.destination({ fd, sync: true });
	// Without somebody who hears of it, an error of the destination would be thrown at whoever logs.
	to.on('error', () => {});
	return pino(
		{
			base: null,
			messageKey: 'words',
			level: pino.levels.values[level] === undefined && level !== 'silent' ? 'info' : level,
			timestamp: pino.stdTimeFunctions.isoTime,
			formatters: { level: (label) => ({ level: label }) }
		},
		to
	);
}

const log = openLog(2);

/** The log of one part of Sextant. */
export const logOf = (part: string) => log.child({ part });
