import ipaddr from 'ipaddr.js';
import { isRange } from '../network/addresses';
import { sitePattern } from './targets';

/** Where a private service is: by name, by address or by range; and at which ports. */

/** A host of a service as it is kept: a name, perhaps with a star, or a range. Null where it is neither. */
export function serviceHost(written: string): string | null {
	const text = written.trim();
	if (ipaddr.isValid(text) && !text.includes('%')) return `${text}/${text.includes(':') ? 128 : 32}`;
	return isRange(text) ? text : sitePattern(text);
}

/** Ports as they are kept: `5432`, or `8000-8010`. Null where they are not such. */
export function servicePorts(written: string): string | null {
	const parts = /^\s*(\d{1,5})\s*(?:[-–]\s*(\d{1,5})\s*)?$/.exec(written);
	if (!parts) return null;
	const first = Number(parts[1]);
	const last = Number(parts[2] ?? parts[1]);
	if (first < 1 || last > 65_535 || first > last) return null;
	return first === last ? String(first) : `${first}-${last}`;
}
