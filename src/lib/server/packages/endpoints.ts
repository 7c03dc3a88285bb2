import { randomUUID } from 'node:crypto';
import { createReadStream, rmSync, statSync } from 'node:fs';
import { join } from 'node:path';
import { Readable } from 'node:stream';
import * as v from 'valibot';
import { WRITE_SCOPES } from '$lib/core/packages/scope';
import { rowsOf } from '../calls/answers';
import { endpoint, type Endpoint } from '../calls/endpoint';
import { draft, read } from '../calls/need';
import { bytes, fact, moment, text, whole } from '../lists/columns';
import { receiveUpload } from '../packing/packer';
import { NotFound } from '../plans';
import { InputProblem } from '../plans/kind';
import { BrokenFile } from '../providers';
import { beginBrought, broughtBody, compareBrought, PARTS, takePart } from './brought';
import { captureOrGone, choicesBody, saveChoices, sortedCapture } from './choices';
import { captureById, capturesAt, packageAt, packagesAt } from './queries';

/** A package that is uploaded may be this large, bytes. */
const MOST = 8e9;

const SORTS = ['app', 'noise', 'doubtful'] as const;
const sort = v.picklist(SORTS);
const bySort = <S extends v.GenericSchema>(value: S) => v.strictObject({ app: value, noise: value, doubtful: value });
const system = v.strictObject({ name: text, version: text, users: v.picklist(['single', 'multi']) });
const choice = v.union([
	v.strictObject({ branch: text, take: v.boolean() }),
	v.strictObject({ pattern: text, take: v.boolean() })
]);
const target = v.strictObject({
	id: text,
	name: text,
	command: text,
	arguments: text,
	folder: text,
	icon: text,
	opens: v.array(text),
	terminal: v.boolean(),
	from: text
});

const captureEntries = {
	id: whole,
	name: text,
	line: v.nullable(text),
	number: v.nullable(text),
	installer: v.nullable(text),
	jobId: v.nullable(whole),
	by: text,
	since: moment,
	until: moment,
	state: v.picklist(['taking', 'sorted', 'packaged', 'thrown away']),
	system: v.nullable(system),
	summary: v.nullable(
		v.strictObject({
			entries: v.strictObject({ before: whole, after: whole }),
			changes: whole,
			what: v.record(text, whole),
			sorts: bySort(v.strictObject({ changes: whole, bytes })),
			folders: v.array(text),
			learned: whole
		})
	),
	notes: v.array(text),
	choices: v.array(choice),
	outcome: v.nullable(text),
	job: v.nullable(text)
};
const capture = v.strictObject(captureEntries);

const branchEntries = {
	name: text,
	path: text,
	change: v.optional(whole),
	open: v.boolean(),
	changes: whole,
	bytes,
	taken: whole,
	takenBytes: bytes,
	sorts: bySort(whole)
};

const result = v.strictObject({
	root: v.strictObject(branchEntries),
	undecided: whole,
	targets: v.array(
		v.strictObject({ best: target, others: v.array(target), facts: v.array(fact), problems: v.array(fact) })
	),
	left: v.array(v.strictObject({ path: text, why: text })),
	missing: whole,
	settings: whole,
	services: v.array(text),
	ports: v.array(text)
});

const scope = v.picklist(WRITE_SCOPES);

const keptEntries = {
	manifest: text,
	size: bytes,
	added: bytes,
	unpacked: bytes,
	files: whole,
	settings: whole,
	spec: v.strictObject({
		name: text,
		version: text,
		note: text,
		system,
		vouched: v.array(v.strictObject({ system, by: text, at: moment, why: text })),
		targets: v.array(target),
		writes: v.strictObject({
			usual: scope,
			branches: v.array(v.strictObject({ branch: text, scope })),
			overlay: v.strictObject({ lives: v.picklist(['machine', 'profile disk']), outlasts: v.boolean() })
		}),
		teams: v.array(text),
		refusal: text,
		services: v.array(text),
		ports: v.array(text),
		agent: text,
		capturedAt: moment,
		warmUp: v.array(v.strictObject({ path: text, bytes }))
	})
};

const ID = { id: whole };

export const packageEndpoints: readonly Endpoint[] = [
	endpoint({
		method: 'GET',
		path: '/captures',
		summary: 'Captures, newest first; one on a machine of its own is begun by the plan package.capture',
		need: read('publishing'),
		work: 'here',
		answer: rowsOf(capture),
		handle: ({ ctx }) => ({ rows: capturesAt(ctx.db, ctx.clock.now()) })
	}),
	endpoint({
		method: 'POST',
		path: '/captures',
		summary: 'Begin a capture whose inventories are brought along',
		need: draft('publishing'),
		work: 'here',
		body: broughtBody,
		instead: null,
		status: 201,
		answer: capture,
		location: (c) => `/captures/${c.id}`,
		handle: ({ ctx, body, caller }) => captureById(ctx.db, beginBrought(ctx, caller!.name, body.name))!
	}),
	endpoint({
		method: 'GET',
		path: '/captures/{id}',
		summary: 'How a capture was sorted, what is taken of it by now, and what that can start',
		need: read('publishing'),
		work: 'here',
		params: ID,
		answer: v.strictObject({ ...captureEntries, result: v.nullable(result) }),
		handle: ({ ctx, params }) => sortedCapture(ctx, params.id)
	}),
	endpoint({
		method: 'GET',
		path: '/captures/{id}/changes',
		summary: 'What lies right below a branch of a capture, or what a text is found in',
		need: read('publishing'),
		work: 'here',
		params: ID,
		query: {
			path: v.optional(v.pipe(v.string(), v.description('The branch; settings begin with settings:')), ''),
			sort: v.optional(v.picklist(['', ...SORTS], 'There are app, noise and doubtful.'), ''),
			q: v.optional(v.pipe(v.string(), v.description('A text that the path holds')), '')
		},
		answer: rowsOf(
			v.strictObject({
				...branchEntries,
				what: v.nullable(text),
				sort: v.nullable(sort),
				why: v.nullable(text),
				shows: v.nullable(text)
			})
		),
		async handle({ ctx, params, query }) {
			const { id, choices } = captureOrGone(ctx, params.id);
			const { captures } = ctx.packer;
			return {
				rows: query.q
					? await captures.search(id, choices, query.q)
					: await captures.children(id, choices, query.path, query.sort === '' ? null : query.sort)
			};
		}
	}),
	...PARTS.map((part) =>
		endpoint({
			method: 'POST',
			path: `/captures/{id}/files/${part}`,
			summary: part === 'folder' ? 'Bring the folder that was captured, as a tar' : `Bring the inventory ${part}`,
			need: draft('publishing'),
			work: 'here',
			params: ID,
			body: { stream: 'application/octet-stream', upload: true },
			status: 201,
			answer: v.strictObject({ part: text, entries: whole }),
			handle: ({ ctx, params, body }) => takePart(ctx, params.id, part, body)
		})
	),
	endpoint({
		method: 'POST',
		path: '/captures/{id}/compare',
		summary: 'Compare the inventories that were brought, and sort what differs',
		need: draft('publishing'),
		work: 'here',
		params: ID,
		answer: capture,
		handle: ({ ctx, params }) => compareBrought(ctx, params.id)
	}),
	endpoint({
		method: 'POST',
		path: '/captures/{id}/choices',
		summary: 'Keep which branches and patterns go into the package',
		need: draft('publishing'),
		work: 'here',
		params: ID,
		body: choicesBody,
		instead: null,
		answer: result,
		handle: ({ ctx, params, body }) => saveChoices(ctx, params.id, body.choices)
	}),
	endpoint({
		method: 'GET',
		path: '/packages',
		summary: 'Packages with their versions, in the order in which they win where they clash',
		need: read('publishing'),
		work: 'here',
		answer: rowsOf(
			v.strictObject({
				name: text,
				position: whole,
				versions: v.array(
					v.strictObject({
						...keptEntries,
						name: text,
						number: text,
						at: moment,
						by: text,
						jobId: v.nullable(whole)
					})
				)
			})
		),
		handle: ({ ctx }) => ({ rows: packagesAt(ctx.db, ctx.clock.now()) })
	}),
	endpoint({
		method: 'POST',
		path: '/packages',
		summary:
			'Take a package up as a tar of an OCI image layout; every digest is checked. It is there for others once the plan package.import is committed with the manifest that this answers with',
		need: draft('publishing'),
		work: 'here',
		body: { stream: 'application/x-tar', upload: true },
		status: 201,
		answer: v.strictObject(keptEntries),
		async handle({ ctx, body }) {
			if (!body)
				throw new InputProblem([
					{ field: 'file', words: 'Send the package as the body, with a content type such as application/x-tar.' }
				]);
			const path = join(ctx.dataDir, 'uploads', `${randomUUID()}.tar`);
			try {
				await receiveUpload(body, path, MOST);
				return await ctx.packer.packages.take(path);
			} catch (e) {
				if (e instanceof BrokenFile) throw new BrokenFile(`It is refused: ${e.message}.`);
				throw e;
			} finally {
				rmSync(path, { force: true });
			}
		}
	}),
	endpoint({
		method: 'GET',
		path: '/packages/{name}/{number}',
		summary: 'A package version as one tar that holds an OCI image layout',
		need: read('publishing'),
		work: 'here',
		params: { name: text, number: text },
		answer: { file: 'application/x-tar' },
		async handle({ ctx, params }) {
			const version = packageAt(ctx.db, params.name, ctx.clock.now())?.versions.find((x) => x.number === params.number);
			if (!version) throw new NotFound(`package ${params.name} ${params.number}`);
			const path = await ctx.packer.packages.write(version.manifest, `${version.name}-${version.number}`);
			return new Response(Readable.toWeb(createReadStream(path)) as ReadableStream, {
				headers: {
					'content-type': 'application/x-tar',
					'content-length': String(statSync(path).size),
					'content-disposition': `attachment; filename="${version.name}-${version.number}.tar"`
				}
			});
		}
	})
];
