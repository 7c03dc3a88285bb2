import { parseArgs } from 'node:util';

/** What the server was started with. */
export interface Options {
	demo: boolean;
	port: number;
	host: string;
	data: string;
	estate: string | null;
	/** Lab minutes a minute; null goes on at the pace it had. */
	speed: number | null;
	fresh: boolean;
	/** Makes the estate with its history where there is none yet, and ends. */
	make: boolean;
	/** How many proxies stand before it, whose `X-Forwarded-*` are believed; 0: none is. */
	proxy: number;
	/** The address that people use, such as `https://sextant.example`; null: as each request has it. */
	url: string | null;
}

/** Reads the command line. Throws with one plain line when something in it is wrong. */
export function readOptions(argv: string[]): Options {
	const { values } = parseArgs({
		args: argv,
		options: {
			demo: { type: 'boolean', default: false },
			port: { type: 'string', default: '4870' },
			host: { type: 'string', default: '127.0.0.1' },
			data: { type: 'string' },
			estate: { type: 'string' },
			speed: { type: 'string' },
			fresh: { type: 'boolean', default: false },
			make: { type: 'boolean', default: false },
			proxy: { type: 'string', default: '0' },
			url: { type: 'string' }
		}
	});
	const demo = values.demo ?? false;
	const port = Number(values.port);
	if (!Number.isInteger(port) || port < 1 || port > 65535)
		throw new Error(`--port ${values.port}: a port is a whole number from 1 to 65535`);
	const speed = values.speed === undefined ? null : Number(values.speed);
	if (speed !== null && !(speed >= 0 && speed <= 600))
		throw new Error(`--speed ${values.speed}: a speed is a number from 0 (paused) to 600`);
	const proxy = Number(values.proxy);
	if (!Number.isInteger(proxy) || proxy < 0 || proxy > 5)
		throw new Error(`--proxy ${values.proxy}: how many proxies stand before it, from 0 to 5`);
	const url = values.url === undefined ? null : URL.parse(values.url);
	if (values.url !== undefined && (!url || !/^https?:$/.test(url.protocol) || url.pathname !== '/'))
		throw new Error(`--url ${values.url}: an address such as https://sextant.example`);
	return {
		demo,
		port,
		host: values.host!,
		data: values.data ?? (demo ? 'data/demo' : 'data/estate'),
		estate: values.estate ?? null,
		speed,
		fresh: values.fresh ?? false,
		make: values.make ?? false,
		proxy,
		url: url?.origin ?? null
	};
}
