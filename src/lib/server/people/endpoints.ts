import * as v from 'valibot';
import { writeTable } from '$lib/core/people/columns';
import { entriesOf } from '$lib/core/people/entries';
import { givenOf } from '$lib/core/people/given';
import { writeLdif } from '$lib/core/people/ldif';
import { isHere } from '$lib/core/people/record';
import { setting, type Db } from '../db';
import { recordsAt, teamsThen } from '../directory';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { draft, read } from '../calls/need';
import { text, whole } from '../lists/columns';
import { InputProblem } from '../plans/kind';
import { FORMATS, keepFile, knownHere, MOST_BYTES } from './files';

/** Lists that may be on their way at once: each is held whole until it has come. */
const AT_ONCE = 4;
let coming = 0;

/** What a list that is sent holds, where not too many are on their way. */
async function listOf(body: ReadableStream<Uint8Array> | null): Promise<Buffer> {
	if (coming >= AT_ONCE)
		throw new InputProblem([{ field: 'file', words: 'Others are bringing lists right now. Try again in a moment.' }]);
	coming++;
	try {
		return await bytesOf(body);
	} finally {
		coming--;
	}
}

/** The bytes of a body, within a cap. */
async function bytesOf(body: ReadableStream<Uint8Array> | null): Promise<Buffer> {
	const parts: Uint8Array[] = [];
	let size = 0;
	for await (const part of body ?? []) {
		size += part.length;
		if (size > MOST_BYTES)
			throw new InputProblem([{ field: 'file', words: `The file is larger than ${MOST_BYTES >> 20} MB.` }]);
		parts.push(part);
	}
	return Buffer.concat(parts);
}

const file = (name: string, type: string, content: string): Response =>
	new Response(content, {
		headers: { 'content-type': `${type}; charset=utf-8`, 'content-disposition': `attachment; filename="${name}"` }
	});

/** Everybody who has not ended at a moment, those who are to begin as well. */
const people = (db: Db, at: number) => [...recordsAt(db, at).values()].filter((p) => isHere(p, at) || p.begins > at);

export const peopleEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'POST',
		path: '/directory/files',
		summary:
			'Bring a list of people, as LDIF (RFC 2849) or CSV; nobody is another until the plan people.import is committed with the number that this answers with',
		need: draft('access'),
		work: 'here',
		query: { name: v.optional(v.pipe(v.string(), v.maxLength(200), v.description('What the file is called'))) },
		body: { stream: 'application/octet-stream', upload: true },
		status: 201,
		answer: v.strictObject({
			id: whole,
			name: text,
			format: v.picklist(FORMATS),
			titles: v.array(text),
			rows: v.array(v.array(text)),
			columns: v.array(v.nullable(text))
		}),
		handle: async ({ ctx, query, body, caller }) =>
			keepFile(ctx.db, query.name ?? 'people', await listOf(body), caller!.name, ctx.clock.now())
	}),
	endpoint({
		method: 'GET',
		path: '/directory.ldif',
		summary:
			'People and teams as LDIF (RFC 2849), which reads back to the same; what the standard classes have no place for is in a class of our own',
		need: read('access'),
		work: 'long',
		looks: 'moment',
		query: {
			plain: v.optional(
				v.pipe(
					v.picklist(['yes', 'no'], 'Write yes or no.'),
					v.description('Nothing but the standard classes, for a directory that does not know ours')
				)
			)
		},
		answer: { file: 'text/plain' },
		handle({ ctx, query, look }) {
			const { at } = look();
			const teams = teamsThen(ctx.db, at);
			const estate = { domain: setting(ctx.db, 'domain') || null, name: setting(ctx.db, 'estate') ?? 'Sextant' };
			return file(
				'people.ldif',
				'text/plain',
				writeLdif(entriesOf(people(ctx.db, at), teams, estate, query.plain !== 'yes'))
			);
		}
	}),
	endpoint({
		method: 'GET',
		path: '/directory.csv',
		summary: 'People as CSV (RFC 4180) with the columns that are read back',
		need: read('access'),
		work: 'long',
		looks: 'moment',
		answer: { file: 'text/csv' },
		handle({ ctx, look }) {
			const { at } = look();
			const zones = new Map(knownHere(ctx.db, at, new Map()).sites.map((s) => [s.id, s.zone]));
			return file(
				'people.csv',
				'text/csv',
				writeTable(people(ctx.db, at).map((p) => givenOf(p, (site) => zones.get(site) ?? 'Etc/UTC')))
			);
		}
	})
];
