import pino from 'pino';

/**
 * What whoever runs the server should know of: one line of JSON each on standard error, with its time, level, part and words. `SEXTANT_LOG`
 * sets from which level on (`info` where nothing is said; `silent` for none).
 */
const log = pino(
	{
		base: null,
		messageKey: 'words',
		level: process.env.SEXTANT_LOG ?? 'info',
		timestamp: pino.stdTimeFunctions.isoTime,
		formatters: { level: (level) => ({ level }) }
	},
	pino.destination({ fd: 2, sync: true })
);

/** The log of one part of Sextant. */
export const logOf = (part: string) => log.child({ part });
