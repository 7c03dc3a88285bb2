import { json } from '@sveltejs/kit';
import { matrixAt } from '$lib/server/access/matrix';
import { answer } from '$lib/server/api/problems';
import { asKnown, lookOf } from '$lib/server/moment';
import { publicationsAt } from '$lib/server/publishing/queries';
import { runtime } from '$lib/server/runtime';

/** Who gets what, teams against publications: as rows, or as CSV (RFC 4180) with `format=csv`. */
export const GET = ({ url }) =>
	answer(() => {
		const { db, clock } = runtime();
		const at = asKnown(lookOf(url, clock));
		const publications = publicationsAt(db, at);
		const m = matrixAt(
			db,
			at,
			publications.map((p) => p.id)
		);
		const width = publications.length;
		if (url.searchParams.get('format') !== 'csv')
			return json({
				at,
				publications: publications.map((p, i) => ({ id: p.id, name: p.internalName, people: m.totals[i] })),
				teams: m.teams.map((t, row) => ({
					...t,
					has: [...m.has.subarray(row * width, (row + 1) * width)],
					now: [...m.now.subarray(row * width, (row + 1) * width)],
					required: [...m.required.subarray(row * width, (row + 1) * width)]
				}))
			});
		const lines = [
			['team', 'above', 'people', ...publications.map((p) => p.internalName)],
			...m.teams.map((t, row) => [
				t.name,
				String(t.depth),
				String(t.people),
				...Array.from(m.has.subarray(row * width, (row + 1) * width), String)
			])
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
