import { XMLParser } from 'fast-xml-parser';
import { MINUTE } from '$lib/core/time/units';
import type { Context } from '../context';
import { all, one, type Db } from '../db';
import { insertRow } from '../db/rows';
import { ProviderError } from '../providers';
import { endpointById, type EndpointRow } from './queries';

/** A yes counts for so long, ms. */
export const LOOK_LASTS = 15 * MINUTE;

/** Somebody asked to look at the screen of a device. */
export interface AskedLook {
	id: number;
	endpoint: number;
	/** Whoever was on it. */
	person: string;
	login: string;
	operator: number | null;
	by: string;
	why: string;
	asked: number;
	answered: number;
	answer: 'yes' | 'no' | 'nobody';
	/** Until when it may be looked at, ms UTC. */
	ends: number;
}

const LOOKS = `SELECT l.id, l.endpoint_id AS endpoint, p.name AS person, p.login, l.operator_id AS operator, l.by, l.why, l.asked, l.answered, l.answer, l.ends
	FROM endpoint_looks l JOIN people p ON p.id = l.person_id`;

/** Who has asked to look at a device up to a moment, the newest first. */
export const looksAt = (db: Db, endpoint: number, at: number, most: number): AskedLook[] =>
	all(db, `${LOOKS} WHERE l.endpoint_id = ? AND l.asked <= ? ORDER BY l.asked DESC, l.id DESC LIMIT ?`, [
		endpoint,
		at,
		most
	]);

/** Of looks from the newest on, the last of each who asked. */
export const lastLooks = (looks: readonly AskedLook[]): AskedLook[] =>
	looks.filter((l, i) => looks.findIndex((x) => x.operator === l.operator) === i);

/** Writes down what somebody said. Returns its number. */
export const noteLook = (
	db: Db,
	look: {
		endpoint: number;
		person: number;
		operator: number | null;
		by: string;
		why: string;
		asked: number;
		answered: number;
		answer: AskedLook['answer'];
	}
): number =>
	insertRow(db, 'endpoint_looks', {
		endpoint_id: look.endpoint,
		person_id: look.person,
		operator_id: look.operator,
		by: look.by,
		why: look.why,
		asked: look.asked,
		answered: look.answered,
		answer: look.answer,
		ends: look.answer === 'yes' ? look.answered + LOOK_LASTS : look.answered
	})!;

/** Whether what was said lets somebody look at a moment: not once whoever said it has got up, though they come back. */
export const isOpen = (look: AskedLook, e: Pick<EndpointRow, 'on' | 'stateSince'>, at: number): boolean =>
	look.answer === 'yes' && look.ends > at && e.on === look.login && e.stateSince <= look.answered;

/** The yes that lets somebody look at a device now; null where there is none, or it counts no longer. What was said last counts. */
export function mayLook(db: Db, endpoint: number, operator: number, now: number): AskedLook | null {
	const look = one<AskedLook>(
		db,
		`${LOOKS} WHERE l.endpoint_id = ? AND l.operator_id = ? AND l.answered <= ? ORDER BY l.id DESC LIMIT 1`,
		[endpoint, operator, now]
	);
	const e = look && endpointById(db, endpoint, now);
	return look && e && isOpen(look, e, now) ? look : null;
}

/** A picture of a screen is no larger than this. */
const MOST_BYTES = 1_000_000;
const reader = new XMLParser({ ignoreAttributes: false, attributeNamePrefix: '@', processEntities: false });
/** What is drawn: nothing that runs, and nothing that is fetched. */
const DRAWN = new Set(['svg', 'g', 'rect', 'circle', 'line', 'path', 'polyline', 'text', 'tspan', '#text', '?xml']);

/** What a device shows on its screen now. Throws ProviderError where what comes is no picture, or does more than show something. */
export async function screenOf({ db, clock, providers }: Context, endpoint: number): Promise<string> {
	const e = endpointById(db, endpoint, clock.now());
	if (!e) throw new ProviderError('there is no such endpoint', false);
	const svg: unknown = await providers.endpoints.screen(e.serial, e.key);
	if (typeof svg !== 'string' || svg.length > MOST_BYTES || !onlyDraws(svg))
		throw new ProviderError(`${e.name} shows no picture that can be looked at`, false);
	return svg;
}

function onlyDraws(svg: string): boolean {
	// An entity or a document type can make of a short text a long one.
	if (/<!(?:DOCTYPE|ENTITY)/i.test(svg)) return false;
	let root: unknown;
	try {
		root = reader.parse(svg, true);
	} catch {
		return false;
	}
	const waiting: unknown[] = [root];
	let drawn = false;
	while (waiting.length) {
		const node = waiting.pop();
		if (Array.isArray(node)) waiting.push(...(node as unknown[]));
		else if (node !== null && typeof node === 'object')
			for (const [name, value] of Object.entries(node)) {
				if (name.startsWith('@')) {
					if (/^@(?:on|href|xlink|style)/i.test(name) || /url\(|javascript:/i.test(String(value))) return false;
				} else if (!DRAWN.has(name)) return false;
				else waiting.push(value);
				if (name === 'svg') drawn = true;
			}
	}
	return drawn;
}
