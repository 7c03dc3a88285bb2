import { json } from '@sveltejs/kit';
import { matrixIn } from '$lib/server/access';
import { answer } from '$lib/server/api/problems';
import { askedOf } from '$lib/server/api/asked';
import { runtime } from '$lib/server/runtime';

/** Who gets what, teams against publications: as rows, or as CSV (RFC 4180) with `format=csv`. */
export const GET = ({ url }) =>
	answer(() => {
		const { db } = runtime();
		const { scope, at } = askedOf(url, runtime());
		const { publications, teams } = matrixIn(db, scope, at);
		if (url.searchParams.get('format') !== 'csv') return json({ at, publications, teams });
		const lines = [
			['team', 'above', 'people', ...publications.map((p) => p.name)],
			...teams.map((t) => [t.name, String(t.depth), String(t.people), ...t.has.map(String)])
		];
		return new Response(`${lines.map((l) => l.map(field).join(',')).join('\r\n')}\r\n`, {
			headers: {
				'content-type': 'text/csv; charset=utf-8',
				'content-disposition': 'attachment; filename="who-gets-what.csv"'
			}
		});
	});

/** A field that a spreadsheet would take for a formula is written as text. */
function field(text: string): string {
	const safe = /^[=+\-@\t\r]/.test(text) ? `'${text}` : text;
	return /[",\r\n]/.test(safe) ? `"${safe.replaceAll('"', '""')}"` : safe;
}
