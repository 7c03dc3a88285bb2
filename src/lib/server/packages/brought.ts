import { randomUUID } from 'node:crypto';
import { rmSync } from 'node:fs';
import { join } from 'node:path';
import * as v from 'valibot';
import type { Context } from '../context';
import { run } from '../db';
import { openAt } from '../db/intervals';
import { InputProblem } from '../plans/kind';
import { NotFound } from '../plans';
import { BrokenFile } from '../providers';
import { captureOrGone } from './choices';
import { INVENTORIES, receiveUpload } from '../packing/packer';
import type { CaptureRow } from './queries';

/** Captures whose inventories somebody brings along, instead of having them taken on a machine of the lab. */
export const broughtBody = v.strictObject({
	name: v.pipe(v.string(), v.trim(), v.nonEmpty('Give the capture a name.'), v.maxLength(80, 'At most 80 characters.'))
});

/** What can be brought: inventories, and the folder that the one after is of, as a tar. */
export const PARTS = [...INVENTORIES, 'folder'] as const;
type Part = (typeof PARTS)[number];
const isPart = (part: string): part is Part => (PARTS as readonly string[]).includes(part);

/** An inventory, or a folder, may be this large, bytes. */
const MOST = { inventory: 2e9, folder: 16e9 };

/** Begins a capture that is waited for to be brought. Returns its number. */
export function beginBrought(ctx: Context, by: string, name: string): number {
	return openAt(ctx.db, 'captures', { name, by, state: 'taking' }, ctx.clock.now())!;
}

function openOrThrow(ctx: Context, id: number): CaptureRow {
	const capture = captureOrGone(ctx, id);
	if (capture.jobId !== null || capture.state === 'packaged' || capture.state === 'thrown away')
		throw new InputProblem([{ field: 'capture', words: 'Nothing can be brought to this capture.' }]);
	return capture;
}

/** Takes one part in: an inventory is read whole first, a folder unpacked; of what is refused nothing is kept. */
export async function takePart(
	ctx: Context & { dataDir: string },
	id: number,
	part: string,
	body: ReadableStream<Uint8Array> | null
): Promise<{ part: string; entries: number }> {
	openOrThrow(ctx, id);
	if (!isPart(part)) throw new NotFound(`part ${part} of a capture`);
	if (!body)
		throw new InputProblem([
			{ field: part, words: 'Send the file as the body, with a content type such as application/octet-stream.' }
		]);
	const path = join(ctx.dataDir, 'uploads', randomUUID());
	try {
		await receiveUpload(body, path, part === 'folder' ? MOST.folder : MOST.inventory);
		const entries =
			part === 'folder'
				? await ctx.packer.captures.takeFolder(id, path)
				: await ctx.packer.captures.takeInventory(id, part, path);
		return { part, entries };
	} catch (e) {
		if (e instanceof BrokenFile) throw new InputProblem([{ field: part, words: `${upper(e.message)}.` }]);
		throw e;
	} finally {
		rmSync(path, { force: true });
	}
}

const upper = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);

/** Compares what was brought. */
export async function compareBrought(ctx: Context, id: number): Promise<CaptureRow> {
	openOrThrow(ctx, id);
	try {
		const summary = await ctx.packer.captures.compare(id);
		const { system, of } = await ctx.packer.captures.heading(id, 'after');
		run(
			ctx.db,
			`UPDATE captures SET summary = ?, system = ?, installer = NULL, state = 'sorted', notes = ? WHERE id = ?`,
			[
				JSON.stringify(summary),
				system ? JSON.stringify(system) : null,
				JSON.stringify(
					system
						? []
						: [
								`the inventory of ${of} does not say which system it is of: the package will fit none until somebody vouches`
							]
				),
				id
			]
		);
	} catch (e) {
		if (e instanceof BrokenFile) throw new InputProblem([{ field: 'after', words: `${upper(e.message)}.` }]);
		throw e;
	}
	return captureOrGone(ctx, id);
}
