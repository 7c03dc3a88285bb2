import type { Way } from '$lib/core/reach/rules';
import type { Destination } from '$lib/core/reach/targets';
import { wallTime } from '$lib/core/time/zone';
import { hashText, uniform } from './random';
import type { Stage } from './stage';
import type { SimEndpoint, SimPerson } from './state';

/** Of a hundred people whom somebody asks whether they may look: these say yes, and these no. Others are not in front of it. */
const SAY_YES = 0.82;
const SAY_NO = 0.08;

/** What somebody says who is asked whether another may look at their screen. */
export function answerTo(lab: Stage, id: string, person: string, key: string): 'yes' | 'no' | 'nobody' {
	const e = lab.world.endpoints.get(id);
	if (!e?.awake || e.on !== person) return 'nobody';
	const draw = uniform(lab.seed, hashText(person), hashText(key), 97);
	return draw < SAY_YES ? 'yes' : draw < SAY_YES + SAY_NO ? 'no' : 'nobody';
}

const escaped = (text: string): string =>
	text.replaceAll('&', '&amp;').replaceAll('<', '&lt;').replaceAll('>', '&gt;').replaceAll('"', '&quot;');
const text = (x: number, y: number, size: number, fill: string, words: string): string =>
	`<text x="${x}" y="${y}" font-size="${size}" fill="${fill}" font-family="sans-serif">${escaped(words)}</text>`;

/** What a device shows on its screen now, as SVG: a window for each thing that is open from it, and a text that it was told to show. */
export function screenOf(lab: Pick<Stage, 'world' | 'estate'>, e: SimEndpoint): string {
	const w = lab.world;
	const person = e.on === undefined ? undefined : w.people.get(e.on);
	const zone = lab.estate.sites.find((s) => s.id === e.site)?.time_zone ?? 'Etc/UTC';
	const { minute } = wallTime(zone, w.now);
	const clock = `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
	const open = (person?.open ?? []).flatMap((id) => {
		const s = w.sessions.get(id);
		return s?.state === 'active' ? [s] : [];
	});
	const windows = open.slice(0, 6).map((s, i) => {
		const [x, y] = [60 + i * 70, 70 + i * 50];
		const name = lab.estate.publications.find((p) => p.id === s.publication)?.name ?? s.publication;
		return (
			`<rect x="${x}" y="${y}" width="760" height="470" rx="4" fill="#ffffff" stroke="#8a94a3"/>` +
			`<rect x="${x}" y="${y}" width="760" height="34" rx="4" fill="#dfe4ea"/>` +
			text(x + 14, y + 23, 16, '#1c2733', `${name}, on ${s.machine}`) +
			[...Array(7).keys()]
				.map(
					(n) =>
						`<rect x="${x + 24}" y="${y + 60 + n * 44}" width="${300 + ((hashText(s.machine) + n * 137) % 380)}" height="12" fill="#e7ebf0"/>`
				)
				.join('')
		);
	});
	return (
		'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 720" width="1280" height="720">' +
		`<rect width="1280" height="720" fill="#3d5568"/>${windows.join('')}` +
		(open.length === 0 ? text(520, 360, 22, '#ffffff', person ? 'nothing is open' : 'locked') : '') +
		(e.shown
			? `<rect x="340" y="280" width="600" height="110" rx="6" fill="#fff8dc" stroke="#9a6a12"/>${text(364, 342, 20, '#1c2733', e.shown.text.slice(0, 60))}`
			: '') +
		`<rect y="680" width="1280" height="40" fill="#1c2733"/>${text(20, 706, 16, '#ffffff', `${e.name}${person ? `: ${person.name}` : ''}`)}${text(1210, 706, 16, '#ffffff', clock)}</svg>`
	);
}

/** The host of a site or a service, and what it is called there. */
function calledInside(
	{ world, estate }: Pick<Stage, 'world' | 'estate'>,
	target: Destination
): [host: string, title: string] {
	if (target.kind === 'site') return [target.host, target.host];
	const known = estate.access.services.find((s) => s.id === target.id);
	const told = world.rules?.services.find((s) => s.id === target.id);
	const id = target.id ?? '';
	return [known?.hosts[0] ?? id, told?.name ?? known?.name ?? id];
}

/** What somebody sees of a site or a private service, as SVG; in an isolated window with whose it is across it. */
export function insideOf(
	lab: Pick<Stage, 'world' | 'estate'>,
	target: Destination,
	person: Pick<SimPerson, 'name' | 'zone'>,
	way: Way
): string {
	const [host, title] = calledInside(lab, target);
	const { minute } = wallTime(person.zone, lab.world.now);
	const clock = `${String(Math.floor(minute / 60)).padStart(2, '0')}:${String(minute % 60).padStart(2, '0')}`;
	const rows = [...Array(9).keys()].map((n) => {
		const wide = 180 + ((hashText(host) + n * 211) % 520);
		return (
			`<rect x="60" y="${190 + n * 48}" width="${wide}" height="14" fill="#cfd8e0"/>` +
			`<rect x="${900 + ((n * 97) % 90)}" y="${190 + n * 48}" width="120" height="14" fill="#e4e9ee"/>`
		);
	});
	const across = [...Array(12).keys()].map(
		(n) =>
			`<text x="${(n % 3) * 430 - 40}" y="${160 + Math.floor(n / 3) * 160}" font-size="20" fill="#15253B" fill-opacity="0.13" font-family="sans-serif" transform="rotate(-18 ${(n % 3) * 430} ${160 + Math.floor(n / 3) * 160})">${escaped(`${person.name} ${clock}`)}</text>`
	);
	return (
		'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 1280 720" width="1280" height="720">' +
		`<rect width="1280" height="720" fill="#fbfaf5"/><rect width="1280" height="56" fill="#dfe4ea"/>${text(24, 36, 18, '#1c2733', host)}` +
		text(60, 128, 34, '#15253B', title) +
		`${rows.join('')}${way === 'window' ? across.join('') : ''}</svg>`
	);
}
